"""Why a device was not seen: every test that fits is made, and what they tell is ranked.

A reason comes only from a test that was really made, and says so.
"""

from __future__ import annotations

import logging
from collections.abc import Awaitable, Callable, Sequence
from dataclasses import dataclass

from netloom_core.absence import elsewhere, lights, network, serial
from netloom_core.absence.case import Case
from netloom_core.absence.looked import was_looked_for, why_not
from netloom_core.errors import NetloomError
from netloom_core.model.said import Seen
from netloom_core.model.sighting import Reason
from netloom_core.together import together

Test = Callable[[Case], Awaitable[list[Reason]]]
EVERYWHERE: tuple[Test, ...] = (
    lights.told_by_lights,
    elsewhere.someone_has_its_address,
    elsewhere.like_it_elsewhere,
    elsewhere.same_name_elsewhere,
    elsewhere.still_there_by_ipv6,
)
BY_KIND: dict[str, tuple[Test, ...]] = {
    "ip": (
        network.own_interface,
        network.overlapping_lines,
        network.behind_its_node,
        network.not_on_its_service,
        network.needs_restart,
        network.switch_port,
    ),
    "serial": (serial.port_itself, serial.what_came, elsewhere.two_at_once),
    "behind": (serial.parent_leads,),
}
AT_ONCE = 32
DECISIVE = 98  # from here on a reason explains everything, and weaker guesses than STRONG would only distract
STRONG = 85
TOLD_OTHERWISE = ("not-leading", "cut-off")
NOT_MADE = 6  # what a test that could not be made weighs: it explains nothing
log = logging.getLogger("netloom.absence")


@dataclass(frozen=True)
class Absent:
    device: str
    line: str
    reasons: tuple[Reason, ...]
    seen: Seen = Seen.NOT_TOLD


async def explain(case: Case) -> Absent:
    """Ranked reasons; the last one says when it was last seen and what was written since.

    Of one that answers after all only that one is given.
    """
    found: list[Reason] = []
    if case.answers:
        return Absent(case.record.device, case.record.line, tuple(last_seen(case)))
    asked = case.reports is None or was_looked_for(case.met, case.record.address, case.reports) is Seen.NOT_TOLD
    for test in (*BY_KIND[case.line.kind], *EVERYWHERE):
        found += await _made(test, case)
    found.sort(key=lambda reason: -reason.weight)
    if found and found[0].weight >= DECISIVE:
        found = [reason for reason in found if reason.weight >= STRONG]
    line_troubles = [t for t in case.troubles if t["line"] == case.line.id and t["code"] not in TOLD_OTHERWISE]
    cut = next((t for t in case.troubles if t["line"] == case.line.id and t["code"] == "cut-off"), None)
    if cut is not None:
        found.insert(
            0,
            Reason(
                cut["message"],
                "Sweep again; it may have been there and not been asked.",
                "The sweep's own report was looked at.",
                80,
            ),
        )
    explained = found and found[0].weight >= DECISIVE
    if line_troubles and not explained and not case.heard and case.line.kind != "behind":
        trouble = line_troubles[0]
        text = f"The line {case.line.name} could not be used: {trouble['message']}"
        found.insert(
            0, Reason(text, trouble["try"] or "Mend the line, sweep again.", "It was tried in the sweep.", 100)
        )
    if not asked and case.reports is not None:
        if not (found and found[0].weight >= STRONG):  # else it is known what kept it from being looked for
            found.insert(0, why_not(case.met, case.record.address, case.reports))
        return Absent(case.record.device, case.record.line, (*found, *last_seen(case)), Seen.NOT_LOOKED)
    return Absent(case.record.device, case.record.line, (*found, *last_seen(case)))


async def _made(test: Test, case: Case) -> list[Reason]:
    """Each test stands alone: one that cannot be made says why, and the others are made all the same."""
    try:
        return await test(case)
    except NetloomError as error:
        text = f"One of the tests could not be made: {error.message}"
        return [Reason(text, error.hint, "It was tried just now.", NOT_MADE)]
    except Exception:
        log.exception("a test of absence broke: %s", test.__name__)
        text = "One of the tests broke: a mistake of Netloom's own, which the server's log has."
        return [Reason(text, "The other tests were made.", "It was tried just now.", NOT_MADE)]


def last_seen(case: Case) -> list[Reason]:
    history = case.history
    if not history.seen:
        return []
    since = f" Since then this was written to it: {'; '.join(history.writes)}." if history.writes else ""
    nothing = "" if history.writes else " Nothing was written to it since."
    return [Reason(f"{history.seen}.{since}{nothing}", "Ask who worked on it since.", "The records were looked at.", 5)]


async def explain_all(cases: Sequence[Case]) -> list[Absent]:
    """In the order given."""
    explained: dict[int, Absent] = {}

    async def one(numbered: tuple[int, Case]) -> None:
        explained[numbered[0]] = await explain(numbered[1])

    await together(enumerate(cases), one, AT_ONCE)
    return [explained[number] for number in range(len(cases))]
