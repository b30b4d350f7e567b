"""Fixtures in universes: who stays, where gaps are found, what is wrong, and the sheet both ways."""

from __future__ import annotations

import csv
import io
import random
from dataclasses import replace

import pytest

from netloom_core.addressing.checks import CODES
from netloom_core.addressing.patch import Known, Model, as_csv, rows_of
from netloom_core.addressing.rules import Rules, check_rules
from netloom_core.addressing.universes import Fixture, Output, Universes, bits, first_run
from netloom_core.errors import RequestError
from netloom_core.library.load import Library
from netloom_core.model.change import Change
from netloom_core.model.line import Line
from netloom_core.model.universe import LAST_SLOT, parts_of, port_address, shown
from netloom_core.plan.planner import in_order

LINE = Line("l1", "Stage network", "ip", network="192.0.2.0/24", source="192.0.2.1")
SIZES = {"dim": 1, "rgbw": 4, "fine": 8}


def wash(name: str, start: int = 0, universe: int | None = 0, slots: int = 4, **more: object) -> Fixture:
    made = {"heard": universe, "at": start, "takes": slots, **more}
    return Fixture(name, name, "wash light", universe=universe, start=start, slots=slots, sizes=SIZES, **made)  # type: ignore[arg-type]


def universes(*fixtures: Fixture, outputs: tuple[Output, ...] = (), **rules: object) -> Universes:
    return Universes(LINE, Rules.read(rules), fixtures, outputs)


def codes(site: Universes) -> list[tuple[str, str]]:
    found = [(one.code, one.name) for one in site.troubles()]
    assert {code for code, _ in found} <= set(CODES)
    return found


def test_who_is_right_stays_and_the_others_get_the_first_gaps() -> None:
    site = universes(wash("A", 1), wash("B", 3), wash("C", 9), wash("D", 0))
    made = {one.name: one for one in site.propose(["A", "B", "C", "D"])}
    assert [(name, made[name].start, made[name].stays) for name in "ABCD"] == [
        ("A", 1, True), ("B", 13, False), ("C", 9, True), ("D", 17, False),
    ]  # fmt: skip
    assert made["B"].why == ("3 to 6 is A's, too; 13 to 16 is the first gap for it in universe 0.",)
    assert made["A"].why == ("Stays at 1 to 4 in universe 0.",)


def test_slots_that_another_one_leaves_are_given_only_when_nothing_else_is_left() -> None:
    full = [wash(f"F{n}", n, slots=1) for n in range(1, 509)]
    site = universes(*full, wash("Mover", 509))
    assert site.propose(["Mover"])[0].stays
    rules = {"universes": [{"number": 0, "reserved": [{"first": "510", "last": "512"}]}]}
    [told] = universes(*full, wash("Mover", 509), **rules).propose(["Mover"])
    assert "no room of 4 slots in a row" in told.problem
    assert told.start == 509
    small = wash("Mover", 509, slots=2)
    [told] = universes(*full[:-1], small, **rules).propose(["Mover"])
    assert told.start == 508
    assert not told.problem


def test_a_range_for_a_kind_or_an_area_is_kept_to() -> None:
    rules = {"universes": [{"number": 0, "ranges": [
        {"first": "100", "last": "199", "kind": "wash light"}, {"first": "1", "last": "99"},
    ]}]}  # fmt: skip
    site = universes(
        wash("A", 1), replace(wash("B", 150), kind="dimmer"), replace(wash("C", 300), kind="dimmer"), **rules
    )
    made = {one.name: one for one in site.propose("ABC")}
    assert (made["A"].start, made["B"].start, made["C"].start) == (100, 5, 9)
    assert made["A"].why[0].startswith("1 to 4 is outside of the range 100 to 199; 100 to 103 is the first gap")


def test_nobody_is_sent_to_another_universe_unless_a_person_says_so() -> None:
    full = [wash(f"F{n}", n, slots=1) for n in range(1, 513)]
    site = universes(*full, wash("A", 0), wash("New", 0, None, fitted=False), wash("B", 1, 7))
    a, new = site.propose(["A", "New"])
    assert "In universe 0 there is no room" in a.problem
    assert (new.universe, new.start) == (7, 5)  # whoever is in none yet goes where there is room
    [told] = site.propose(["A"], 300)
    assert (told.universe, told.start) == (300, 1)
    assert told.why[0].startswith("It is to go to universe 300 (1.2.12)")


def test_who_shares_slots_goes_to_its_mate() -> None:
    site = universes(wash("A", 20, shares="Left"), wash("B", 0, shares="left"), wash("C", 20, shares="left"))
    assert codes(site) == []
    b, c = sorted(site.propose(["B", "C"]), key=lambda one: one.name)
    assert (b.start, c.stays) == (20, True)
    assert b.why == ("It has no start address yet; it shares the slots of A.",)


def test_who_tells_no_size_or_cannot_be_written_is_told() -> None:
    site = universes(wash("A", 0, slots=0), wash("B", 600, slots=0), wash("C", 1, can=False), wash("D", 3, can=False))
    made = {one.name: one for one in site.propose("ABCD")}
    assert "how many slots A takes" in made["A"].problem
    assert made["C"].why == ("Its start address cannot be written: it stays as it is.",)
    assert codes(site) == [("overlap", "C"), ("overlap", "D")]


def test_what_is_wrong_is_told_for_each() -> None:
    outputs = (
        Output("n1", "Node 1", "Port A", "/ports/1/universe", 0, 0, "192.0.2.11"),
        Output("n1", "Node 1", "Port B", "/ports/2/universe", 0, 0, "192.0.2.11"),
        Output("n2", "Node 2", "Port 1", "/ports/1/universe", 2, 2, "192.0.2.12"),
    )
    site = universes(
        wash("Over", 510), wash("Moved", 20, 0, heard=2), wash("Nowhere", 1, 9, heard=None, fitted=False),
        wash("One", 100), wash("Two", 103), wash("Stranger", 104, mine=False), outputs=outputs,
    )  # fmt: skip
    assert sorted(codes(site)) == [
        ("no-sender", "Nowhere"), ("other-universe", "Moved"), ("over-the-end", "Over"),
        ("overlap", "One"), ("overlap", "Two"),
    ]  # fmt: skip
    told = {one.name: one.message for one in site.troubles()}
    assert told["Two"] == "103 to 106 is for One and Stranger, too."
    also = (*outputs, replace(outputs[2], universe=0, now=0))
    here = wash("A", 1, node="192.0.2.11")
    assert codes(universes(here, outputs=also)) == [], "nobody uses that port"
    moved = (*outputs[:1], replace(outputs[1], universe=7, decided=True), outputs[2])
    assert codes(universes(here, outputs=moved)) == [], "it may hang on the other port"
    told = list(universes(here, outputs=tuple(replace(one, universe=7) for one in outputs)).troubles())
    assert [one.message for one in told] == ["Its port is to send universe 7, and it is planned in 0."]
    both = (here, wash("B", 5, node="192.0.2.12"))
    assert codes(universes(*both, outputs=also)) == [("sent-twice", "Node 1"), ("sent-twice", "Node 2")]
    decided = (*outputs, replace(outputs[2], universe=0, decided=True))
    assert codes(universes(here, outputs=decided)) == [("sent-twice", "Node 1"), ("sent-twice", "Node 2")]
    assert codes(universes(*both, outputs=also, universes=[{"number": 0, "twice": True}])) == []


@pytest.mark.parametrize(("rules", "said"), [
    ({"number": 1, "reserved": [{"first": "0", "last": "4"}]}, "numbered from 1 to 512"),
    ({"number": 1, "reserved": [{"first": "9", "last": "4"}]}, "ends before it begins"),
    ({"number": 1, "ranges": [{"first": "a", "last": "4"}]}, "numbered from 1 to 512"),
    ({"number": 1, "ranges": [{"first": "1", "last": "9", "kind": "a"}, {"first": "9", "last": "10"}]}, "meet"),
    ({"number": 40000}, "universes/0/number"),
])  # fmt: skip
def test_rules_that_cannot_be_are_refused(rules: dict[str, object], said: str) -> None:
    with pytest.raises(RequestError) as error:
        check_rules(LINE, Rules.read({"universes": [rules]}))
    assert said in error.value.message
    with pytest.raises(RequestError, match="is there twice"):
        check_rules(LINE, Rules.read({"universes": [{"number": 0}, {"number": 0}]}))


def test_no_proposal_makes_an_overlap_whatever_was_there() -> None:
    rng = random.Random(5)
    for _ in range(150):
        fixtures = [
            wash(
                f"X{n}", rng.randint(0, 512), rng.choice([0, 0, 1, None]), rng.choice([1, 3, 4, 8, 40, 200]),
                shares=rng.choice(["", "", "", "both"]), can=rng.random() > 0.05, mine=rng.random() > 0.1,
            )
            for n in range(rng.randint(2, 40))
        ]  # fmt: skip
        site = universes(*fixtures)
        chosen = {one.device for one in fixtures if rng.random() < 0.7}
        made = site.propose(chosen)
        assert {one.device for one in made} == chosen
        by_name = {one.device: one for one in fixtures}
        done = {one.device: one for one in fixtures}
        for one in made:
            if not one.problem:
                done[one.device] = replace(by_name[one.device], universe=one.universe, start=one.start)
        placed = {one.device for one in made if not one.problem and by_name[one.device].can}
        for trouble in universes(*done.values()).troubles():
            assert trouble.device not in placed or trouble.code not in ("overlap", "over-the-end"), trouble


def test_first_run_is_the_first() -> None:
    rng = random.Random(2)
    for _ in range(2000):
        usable, slots = rng.getrandbits(24) | rng.getrandbits(24), rng.randint(1, 9)
        slow = next((n for n in range(1, 25) if usable >> (n - 1) & (1 << slots) - 1 == (1 << slots) - 1), 0)
        assert first_run(usable, slots) == slow
    assert bits(510, 8) == 0b111 << 509


def test_universes_are_numbered_by_their_port_address() -> None:
    assert [parts_of(n) for n in (0, 17, 300, 32767)] == [(0, 0, 0), (0, 1, 1), (1, 2, 12), (127, 15, 15)]
    assert all(port_address(*parts_of(n)) == n for n in range(0, 1 << 15, 7))
    assert (shown(7), shown(17)) == ("7", "17 (0.1.1)")


def test_the_order_of_writing_leaves_room_at_each_moment(library: Library) -> None:
    """A unit refuses a personality that reaches beyond the last slot, and a start address from which its own would."""
    unit = library.need("skellan-f6")
    rng = random.Random(1)
    for _ in range(500):
        (was, now), starts = rng.choices(list(SIZES), k=2), [0, 0]
        for at, personality in enumerate((was, now)):
            starts[at] = rng.choice([rng.randint(1, 513 - SIZES[personality]), 513 - SIZES[personality]])
        changes = [Change("/dmx/start", starts[0], starts[1]), Change("/dmx/personality", was, now)]
        has = {"/dmx/start": starts[0], "/dmx/personality": was}
        for change in in_order(unit, changes):
            has[change.path] = change.after
            assert has["/dmx/start"] + SIZES[has["/dmx/personality"]] - 1 <= LAST_SLOT


def test_who_cannot_be_written_fails_in_its_row() -> None:
    fixed = wash("A", 1, can=False)
    assert read("fixture,start\nA,9", fixed) == [("A", {}, "The start address of A cannot be written.")]


MODEL = Model(
    "skellan-f6",
    ("Skellan F6", "F6"),
    SIZES,
    {"dim": "1: dimmer only", "rgbw": "2: red", "fine": "3: fine"},
    usual="dim",
)


def known(*fixtures: Fixture) -> list[Known]:
    return [Known(one, MODEL, f"7FF2:0000000{n}", "Node 1") for n, one in enumerate(fixtures)]


def read(sheet: str, *fixtures: Fixture) -> list[tuple[str, dict[str, str], str]]:
    rows = rows_of(list(csv.reader(io.StringIO(sheet))), known(*fixtures), [MODEL])
    return [(one.name, one.changes, one.problem) for one in rows]


def test_a_sheet_that_nobody_touched_changes_nothing() -> None:
    fixtures = [
        wash("=A", 1, personality="rgbw"),
        wash("B, left", 5, None),
        wash("C", 0, 3, shares="x", personality="dim"),
    ]
    sheet = as_csv(known(*fixtures))
    assert "'=A" in sheet
    assert read(sheet, *fixtures) == [("=A", {}, ""), ("B, left", {}, ""), ("C", {}, "")]


def test_a_bad_row_is_named_and_the_others_stand() -> None:
    fixtures = [wash("A", 1), wash("B", 5), wash("C", 9), wash("D", 100)]
    sheet = (
        "fixture,universe,start,personality\nA,0,513,\nB,0,9,\nC,0,20,\nD,x,,\nE,0,1,\nb,0,1,\nD,0,200,disco\n,,,\n"
        "7FF2:00000003,1,1,"
    )
    assert read(sheet, *fixtures) == [
        ("A", {}, "513 is no start address."),
        ("B", {"start": "9"}, ""),
        ("C", {"start": "20"}, ""),
        ("D", {}, "x is no universe."),
        ("E", {}, "There is no fixture E here."),
        ("b", {}, "Row 3 is about B, too."),
        ("D", {}, "Row 5 is about D, too."),
        ("7FF2:00000003", {}, "There is no fixture 7FF2:00000003 here."),
    ]


def test_a_row_that_fails_stays_in_the_way_of_a_whole_chain() -> None:
    fixtures = [wash(f"X{n}", n * 4 + 1) for n in range(100)]
    rows = "\n".join(f"X{n},{(n + 1) * 4 + 1}" for n in range(99))
    good = read(f"fixture,start\n{rows}\nX99,450", *fixtures)
    assert all(not problem for _, _, problem in good)
    bad = read(f"fixture,start\n{rows}\nX99,513", *fixtures)
    assert all(problem for _, _, problem in bad)


def test_a_sheet_plans_fixtures_that_do_not_exist_yet() -> None:
    sheet = (
        "fixture,model,universe,start,personality,area\n"
        "New 1,Skellan F6,3,1,3: FINE,Quay\nNew 2,f6,3,9,fine,\nNew 3,F6,3,8,,\n"
        "New 4,Nobody Z1,3,20,,\nNew 5,F6,3,510,fine,"
    )
    assert read(sheet, wash("A", 1)) == [
        (
            "New 1",
            {"universe": "3", "start": "1", "personality": "fine", "area": "Quay"},
            "1 to 8 of universe 3 meets New 3, 8 to 8.",
        ),
        ("New 2", {"universe": "3", "start": "9", "personality": "fine"}, ""),
        ("New 3", {"universe": "3", "start": "8"}, "8 to 8 of universe 3 meets New 1, 1 to 8."),
        ("New 4", {}, "New 4 is new, and no model of fixtures is called Nobody Z1."),
        (
            "New 5",
            {"universe": "3", "start": "510", "personality": "fine"},
            "From 510 on its 8 slots reach beyond 512.",
        ),
    ]
    with pytest.raises(RequestError, match="does not name the columns"):
        read("a,b\n1,2")
