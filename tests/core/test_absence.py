"""Why something is not there: each test stands alone."""

from __future__ import annotations

from collections.abc import Awaitable, Callable
from dataclasses import replace

import pytest

from netloom_core.absence import elsewhere, network, serial
from netloom_core.absence import explain as absence
from netloom_core.absence.case import Case, History, Looked
from netloom_core.absence.explain import explain, explain_all
from netloom_core.errors import LinkError
from netloom_core.library.load import Library
from netloom_core.model.device import Identity
from netloom_core.model.line import Line
from netloom_core.model.sighting import Reason, Sighting
from netloom_core.sweep.finding import BY_IPV6, Finding, Known, Place

LINE = Line("net", "Net", "ip", network="10.99.1.0/29", source="")
Test = Callable[[Case], Awaitable[list[Reason]]]


def case(library: Library, name: str = "d") -> Case:
    return Case(Known(name, "hallvane|hv-1", "hallvane-rx8", "net", "10.99.1.2"), name, LINE, [], [], library, [LINE])


def made_of(*all_of_them: Test) -> dict[str, tuple[Test, ...]]:
    return {"ip": all_of_them}


async def good(case: Case) -> list[Reason]:
    return [Reason("The cable is out.", "Plug it in.", "It was looked at.", 70)]


async def no_address(case: Case) -> list[Reason]:
    raise LinkError("This computer has no address on that line.", "Give it one.")


async def broken(case: Case) -> list[Reason]:
    raise KeyError("x")


@pytest.mark.parametrize("bad", [no_address, broken])
async def test_a_test_that_cannot_be_made_says_so_and_the_others_are_made(
    library: Library, monkeypatch: pytest.MonkeyPatch, bad: Test
) -> None:
    monkeypatch.setattr(absence, "BY_KIND", made_of(bad, good))
    monkeypatch.setattr(absence, "EVERYWHERE", ())
    told = [reason.reason for reason in (await explain(case(library))).reasons]
    assert told[0] == "The cable is out."
    assert told[1].startswith("One of the tests")


async def test_one_that_cannot_be_explained_leaves_the_others_their_reasons(
    library: Library, monkeypatch: pytest.MonkeyPatch
) -> None:
    async def only_for_one(case: Case) -> list[Reason]:
        return await (broken(case) if case.name == "a" else good(case))

    monkeypatch.setattr(absence, "BY_KIND", made_of(only_for_one))
    monkeypatch.setattr(absence, "EVERYWHERE", ())
    told = await explain_all([case(library, "a"), case(library, "b")])
    assert [one.device for one in told] == ["a", "b"]
    assert told[1].reasons[0].reason == "The cable is out."


async def test_without_an_address_on_the_line_that_is_the_reason(library: Library) -> None:
    """The very case that it should explain: this computer is not on that network."""
    lost = case(library)
    lost.line = replace(LINE, source="10.99.1.7")
    told = (await explain(lost)).reasons
    assert told
    assert not any("broke" in reason.reason for reason in told)


def somebody(line: str, address: str, speed: int = 0, **more: str) -> Finding:
    ident = Identity("Dunmarrow", "DM24", "00B70E31")
    return Finding(line, address, speed, ident, "", "new", places=(Place(line, address, speed),), facts=more)


async def test_somebody_at_its_address_is_not_nobody_there(library: Library) -> None:
    """On a bus and on a network: two reasons that contradict each other explain nothing."""
    bus = Line("bus", "Bus", "serial", path="x", protocol="osdp")
    there = somebody("bus", "3", 38400)
    on_bus = Case(Known("d", "dunmarrow|1", "dunmarrow-dm24", "bus", "3", 9600), "d", bus, [there], [], library, [bus])
    assert await serial.what_came(on_bus) == []
    stranger = replace(somebody("net", "10.99.1.2"), profile="hallvane-rx8")
    on_net = replace(case(library), findings=[stranger], line=replace(LINE, source="127.0.0.1"))
    assert await network.not_on_its_service(on_net) == []


async def test_one_that_answers_after_all_is_not_explained(library: Library, monkeypatch: pytest.MonkeyPatch) -> None:
    """But one that only an earlier sweep saw there is."""
    monkeypatch.setattr(absence, "BY_KIND", made_of(good))
    now = Sighting("net", "10.99.1.2", "http", 1.0, {"serial": "HV-1"})
    there = replace(somebody("net", "10.99.1.2"), device="d", status="known", sightings=[now])
    assert (await explain(replace(case(library), findings=[there]))).reasons == ()
    announced = replace(now, method="mdns")  # its service may be silent all the same
    for weaker in ([], [announced], [replace(now, facts={})]):
        unproven = replace(there, sightings=weaker)
        [first, *_] = (await explain(replace(case(library), findings=[unproven]))).reasons
        assert first.reason == "The cable is out."


async def test_one_that_ipv6_still_shows_is_on_the_wire(library: Library) -> None:
    seen = replace(somebody("net", "fe80::1"), status=BY_IPV6, device="d")
    [reason] = await elsewhere.still_there_by_ipv6(replace(case(library), findings=[seen]))
    assert "answers over IPv6 as fe80::1, but not at 10.99.1.2" in reason.reason


async def test_a_sweep_that_was_cut_off_is_a_reason_and_no_line_that_cannot_be_used(
    library: Library, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(absence, "BY_KIND", made_of())
    cut = {"line": "net", "method": "connect", "code": "cut-off", "message": "It was cut off.", "try": ""}
    told = [reason.reason for reason in (await explain(replace(case(library), troubles=[cut]))).reasons]
    assert told[0] == "It was cut off."
    assert not any("could not be used" in one for one in told)


@pytest.mark.parametrize(
    ("looked", "first", "hint"),
    [
        (("NET", "off", ""), "Its light NET is dark: It has no link.", "Look at the cable and the switch port."),
        (("PWR", "slow", "green"), "Its light PWR blinks slowly green: It starts.", "Wait eight seconds."),
        (("PWR", "steady", "green"), "The cable is out.", "Plug it in."),
        (("GONE", "off", ""), "The cable is out.", "Plug it in."),
    ],
)
async def test_what_somebody_saw_at_it_is_weighed_with_the_rest(
    library: Library, monkeypatch: pytest.MonkeyPatch, looked: tuple[str, str, str], first: str, hint: str
) -> None:
    """A light that is well explains nothing; one that the profile does not know is no evidence."""
    monkeypatch.setattr(absence, "BY_KIND", made_of(good))
    absent = case(library)
    absent.history = History(looked=(Looked(*looked, by="ann", minutes=2),))
    reasons = (await explain(absent)).reasons
    assert (reasons[0].reason, reasons[0].hint) == (first, hint)
    seen = [reason for reason in reasons if reason.test == "ann looked at it 2 min ago."]
    assert len(seen) == (looked[0] != "GONE")
