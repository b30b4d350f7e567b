"""Nobody is called missing whom no method could have met."""

from __future__ import annotations

from netloom_core.absence.looked import was_looked_for, why_not
from netloom_core.model.said import Seen
from netloom_core.sweep.sweep import Report


def report(method: str, state: str, *, unasked: str = "") -> Report:
    made = Report("bus", method, f"The {method} scan", state, unasked={unasked} if unasked else set())
    if state in ("failed", "cut"):
        made.notes, made.remedy = ["The port is busy: a console of ann has it."], "Close the console."
    return made


def test_only_one_that_met_it_before_and_ended_could_have_met_it() -> None:
    assert was_looked_for(("osdp",), "3", [report("osdp", "done")]) is Seen.NOT_TOLD
    for state in ("failed", "cut", "stopped", "running"):
        reports = [report("osdp", state), report("neighbour", "done")]
        assert was_looked_for(("osdp",), "3", reports) is Seen.NOT_LOOKED, state
    assert was_looked_for((), "3", [report("osdp", "failed"), report("echo", "done")]) is Seen.NOT_TOLD
    assert was_looked_for((), "3", []) is Seen.NOT_LOOKED


def test_one_that_did_not_get_to_its_place_did_not_look_there() -> None:
    reports = [report("modbus-tcp", "done", unasked="192.0.2.5")]
    assert was_looked_for(("modbus-tcp",), "192.0.2.5#7", reports) is Seen.NOT_LOOKED
    assert was_looked_for(("modbus-tcp",), "192.0.2.6#7", reports) is Seen.NOT_TOLD


def test_a_unit_behind_a_gateway_is_passed_over_by_itself() -> None:
    reports = [report("modbus-tcp", "done", unasked="192.0.2.5#40")]
    assert was_looked_for(("modbus-tcp",), "192.0.2.5#40", reports) is Seen.NOT_LOOKED
    assert was_looked_for(("modbus-tcp",), "192.0.2.5#4", reports) is Seen.NOT_TOLD


def test_the_sightings_of_a_method_under_other_names_are_its_own() -> None:
    assert was_looked_for(("page",), "192.0.2.5", [report("http", "failed"), report("echo", "done")]) is Seen.NOT_LOOKED


def test_the_remedy_belongs_to_what_kept_it_from_being_looked_for() -> None:
    reason = why_not(("osdp",), "3", [report("osdp", "failed")])
    assert (reason.reason.endswith("a console of ann has it."), reason.hint) == (True, "Close the console.")
    assert "did not get to ask 3" in why_not(("osdp",), "3", [report("osdp", "done", unasked="3")]).reason
