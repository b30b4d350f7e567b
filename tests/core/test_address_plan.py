"""Plans of places by the rules of a line, and what is told of places that are wrong."""

from __future__ import annotations

import dataclasses
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from netloom_core.addressing.checks import CODES, check_line, check_lines
from netloom_core.addressing.hostnames import host_label, is_host_name, number_in, patterned
from netloom_core.addressing.planning import LinePlan, Proposal, Resident
from netloom_core.addressing.rules import Rules, check_rules
from netloom_core.errors import RequestError
from netloom_core.model.line import Line

NET = Line("net", "Quay net", "ip", network="192.0.2.0/24", source="192.0.2.250")
BUS = Line("bus", "Gate bus", "serial", path="/dev/ttyS0", protocol="osdp")
RULES = Rules.read(
    {
        "ranges": [
            {"first": "192.0.2.10", "last": "192.0.2.19", "kind": "relay box"},
            {"first": "192.0.2.20", "last": "192.0.2.22", "kind": "relay box", "area": "7"},
            {"first": "192.0.2.40", "last": "192.0.2.49"},
        ],
        "reserved": [{"first": "192.0.2.12", "last": "192.0.2.12", "why": "the printer"}],
        "pool": {"first": "192.0.2.200", "last": "192.0.2.240"},
        "gateway": "192.0.2.1",
        "mask": "255.255.255.0",
        "names": "{area}-{kind}-{n:02}",
    }
)


def box(number: int, at: str = "", **more: Any) -> Resident:
    usual = {"kind": "relay box", "at": at, "area": "", "fitted": bool(at)}
    return Resident(f"d{number}", f"Box {number}", **{**usual, **more})


def proposed(residents: list[Resident], line: Line = NET, rules: Rules = RULES, **more: Any) -> dict[str, Proposal]:
    made = LinePlan(line, rules, residents, **more).propose([one.device for one in residents if one.mine])
    return {one.device: one for one in made}


def test_what_is_good_stays_and_the_rest_fills_its_range() -> None:
    made = proposed([box(1, "192.0.2.15"), box(2, "192.0.2.201"), box(3), box(4, "192.0.2.12"), box(5, "192.0.2.99")])
    assert {one.device: one.address for one in made.values()} == {
        "d1": "192.0.2.15", "d2": "192.0.2.13", "d3": "192.0.2.14", "d4": "192.0.2.10", "d5": "192.0.2.11",
    }  # fmt: skip
    assert made["d1"].stays
    assert "address" not in made["d1"].values
    assert "in the range 192.0.2.10 to 192.0.2.19 for relay box" in made["d1"].why[0]
    assert "is in the dynamic pool, 192.0.2.200 to 192.0.2.240" in made["d2"].why[0]
    assert "no place yet" in made["d3"].why[0]
    assert "is reserved (the printer)" in made["d4"].why[0]
    assert "is outside of the range" in made["d5"].why[0]


def test_the_narrowest_range_is_meant_and_a_full_one_is_told() -> None:
    quay = {"area": "7", "area_name": "Quay"}
    made = proposed([box(n, **quay) for n in range(4)])
    assert sorted(one.address for one in made.values()) == ["", "192.0.2.20", "192.0.2.21", "192.0.2.22"]
    [full] = [one for one in made.values() if not one.address]
    assert "No free place is left for Box 3" in full.problem
    assert full.values == {}
    assert "for relay box in Quay" in made["d0"].why[0]


def test_who_finds_no_place_stays_where_it_is_and_nobody_is_sent_there() -> None:
    rules = Rules.read({"ranges": [
        {"first": "192.0.2.10", "last": "192.0.2.10", "kind": "camera"},
        {"first": "192.0.2.20", "last": "192.0.2.21", "kind": "relay box"},
    ]})  # fmt: skip
    cameras = [box(1, "192.0.2.10", kind="camera"), box(2, "192.0.2.20", kind="camera")]
    made = proposed([*cameras, box(3, "192.0.2.99"), box(4, "192.0.2.98")], rules=rules)
    assert [made[name].address for name in ("d1", "d2", "d3", "d4")] == ["192.0.2.10", "", "", "192.0.2.21"]


def test_others_get_what_no_range_of_others_has() -> None:
    made = proposed([box(1, "192.0.2.15", kind="camera"), box(2, kind="camera")])
    assert [one.address for one in made.values()] == ["192.0.2.40", "192.0.2.41"]
    bare = proposed([box(1, "192.0.2.1"), box(2, "192.0.2.250"), box(3)], rules=Rules(gateway="192.0.2.1"))
    assert [one.address for one in bare.values()] == ["192.0.2.2", "192.0.2.3", "192.0.2.4"]
    assert "gateway" in bare["d1"].why[0]
    assert "this computer's own" in bare["d2"].why[0]


def test_strangers_and_what_waits_for_a_power_cut_hold_their_places() -> None:
    made = proposed(
        [box(1), box(2, "192.0.2.10", mine=False), box(3, "192.0.2.11", bound=("192.0.2.13",)), box(4, "192.0.2.14")]
    )
    assert made["d1"].address == "192.0.2.15"


def test_of_two_at_one_place_the_one_that_is_there_stays() -> None:
    made = proposed([box(1, "192.0.2.99", planned="192.0.2.15"), box(2, "192.0.2.15")])
    assert made["d2"].address == "192.0.2.15"
    assert made["d1"].address == "192.0.2.10"
    assert "kept by another one" in made["d1"].why[0]


def test_a_place_that_is_left_is_used_only_when_nothing_else_is_free() -> None:
    rules = Rules.read({"ranges": [{"first": "192.0.2.10", "last": "192.0.2.11", "kind": "camera"},
                                   {"first": "192.0.2.30", "last": "192.0.2.31", "kind": "relay box"}]})  # fmt: skip
    residents = [box(1, "192.0.2.10"), box(2, "192.0.2.11"), box(3, "192.0.2.90", kind="camera")]
    made = proposed(residents, rules=rules)
    assert made["d3"].address == "192.0.2.10"
    assert {made["d1"].address, made["d2"].address} == {"192.0.2.30", "192.0.2.31"}


def test_new_units_come_up_where_nobody_is_planned() -> None:
    residents = [box(1, "0", has={"speed": "9600"}), box(2), box(3, planned="0")]
    made = proposed(residents, BUS, Rules(speed=38400), factory={"0"})
    assert {one.device: one.address for one in made.values()} == {"d1": "0", "d2": "1", "d3": "2"}
    assert made["d1"].values == {"speed": "38400"}, "who works there is left in peace"
    assert "speed becomes 38400 instead of 9600" in made["d1"].why[1]
    assert "where new units come up" in made["d3"].why[0]


def test_masks_gateways_and_names_come_along_where_they_can_be_written() -> None:
    has = {"mask": "255.255.0.0", "gateway": "192.0.2.1", "name": "old"}
    made = proposed(
        [
            box(1, "192.0.2.10", has=has, area_name="Quay"),
            box(2, "192.0.2.11", has={"name": "quay-relay-box-01"}, area_name="Quay"),
            box(3, "192.0.2.13", has={"mask": "255.0.0.0"}, can=frozenset({"address"})),
        ]
    )
    assert made["d1"].values == {"mask": "255.255.255.0", "name": "quay-relay-box-02"}
    assert made["d2"].values == {"mask": "255.255.255.0", "gateway": "192.0.2.1"}, "a fitting name stays"
    assert made["d3"].values == {}
    assert "network mask cannot be written" in " ".join(made["d3"].why)


def test_who_cannot_be_moved_is_not() -> None:
    made = proposed([box(1, "192.0.2.201", can=frozenset())])
    assert made["d1"].stays
    assert "cannot be written" in made["d1"].why[0]


@st.composite
def crowds(draw: st.DrawFn) -> list[Resident]:
    places = st.sampled_from([f"192.0.2.{n}" for n in (*range(8, 24), 40, 41, 200, 250)])
    return [
        Resident(
            f"d{n}",
            f"Box {n}",
            kind=draw(st.sampled_from(["relay box", "camera"])),
            area=draw(st.sampled_from(["", "7"])),
            at=(at := draw(st.one_of(st.just(""), places))),
            planned=draw(st.one_of(st.just(""), places)),
            bound=draw(st.sampled_from([(), ("192.0.2.13",)])),
            fitted=bool(at),
            mine=draw(st.booleans()),
        )
        for n in range(draw(st.integers(1, 14)))
    ]


@settings(max_examples=200, deadline=None)
@given(crowds(), st.data())
def test_nobody_is_planned_where_somebody_stays(crowd: list[Resident], data: st.DataObject) -> None:
    chosen = data.draw(st.lists(st.sampled_from([one.device for one in crowd]), unique=True))
    made = LinePlan(NET, RULES, crowd).propose(chosen)
    assert {one.device for one in made} == set(chosen)
    given = [one.address for one in made if one.address]
    assert len(given) == len(set(given)), "two are planned at one place"
    by_device = {one.device: one for one in crowd}
    moving = {one.device for one in made if one.address != by_device[one.device].place}
    for one in made:
        if not one.address:
            assert one.problem
            continue
        for other in crowd:
            if other.device == one.device:
                continue
            assert one.address not in other.bound or one.stays, "it may come there at its next power cut"
            if other.device in moving:
                continue
            stays_there = other.device in chosen or not (other.mine and other.planned and other.planned != other.at)
            if not one.stays and stays_there:
                assert one.address not in (other.at, other.planned)
        if not one.stays:
            assert not RULES.kept_free(one.address)
            assert any(span.holds(one.address) for span in RULES.ranges_for(*_of(by_device[one.device])))
    # Who was good alone is left in peace.
    again = [dataclasses.replace(one, at=p.address, planned="", bound=()) for p in made if p.address
             for one in [by_device[p.device]]]  # fmt: skip
    assert all(one.stays for one in LinePlan(NET, RULES, again).propose([one.device for one in again]))


def _of(one: Resident) -> tuple[str, str]:
    return one.kind, one.area


@pytest.mark.parametrize(
    ("line", "rules", "words"),
    [
        (NET, {"ranges": [{"first": "192.0.2.9", "last": "192.0.2.3"}]}, "ends before it begins"),
        (NET, {"ranges": [{"first": "192.0.2.9", "last": "192.0.3.3"}]}, "192.0.3.3 is no address"),
        (NET, {"reserved": [{"first": "192.0.2.0", "last": "192.0.2.3"}]}, "192.0.2.0 is no address"),
        (NET, {"ranges": [{"first": "192.0.2.9", "last": "192.0.2.20", "kind": "x"},
                          {"first": "192.0.2.20", "last": "192.0.2.30"}]}, "meet"),
        (NET, {"ranges": [{"first": "192.0.2.9", "last": "192.0.2.20"}],
               "pool": {"first": "192.0.2.20", "last": "192.0.2.30"}}, "meets the dynamic pool"),
        (NET, {"gateway": "192.0.3.1"}, "outside of 192.0.2.0/24"),
        (NET, {"gateway": "192.0.2"}, "no address"),
        (NET, {"mask": "255.255.255.128"}, "not all of"),
        (NET, {"mask": "255.0.255.0"}, "no network mask"),
        (NET, {"mask": "24"}, "would hear each other|no network mask"),
        (NET, {"speed": 9600}, "cannot be the speed"),
        (BUS, {"speed": 9601}, "cannot be the speed"),
        (BUS, {"pool": {"first": "1", "last": "2"}}, "no IP network"),
        (BUS, {"ranges": [{"first": "1", "last": "127"}]}, "127 is no address"),
        (NET, {"parity": "E"}, "no serial line"),
    ],
)  # fmt: skip
def test_rules_that_cannot_be_are_refused_in_words(line: Line, rules: dict[str, Any], words: str) -> None:
    with pytest.raises(RequestError, match=words):
        check_rules(line, Rules.read(rules))


@pytest.mark.parametrize("data", [[], {"range": []}, {"ranges": [{}]}, {"speed": -1}, {"parity": "X"},
                                  {"ranges": [{"first": "1", "last": "2"}] * 65}, {"names": "x" * 121}])  # fmt: skip
def test_rules_of_a_wrong_shape_are_refused(data: Any) -> None:
    with pytest.raises(RequestError, match="The rules are not right"):
        Rules.read(data)
    check_rules(NET, RULES)
    check_rules(BUS, Rules.read({"ranges": [{"first": "1", "last": "126"}], "speed": 38400, "parity": "E"}))


def test_host_names_by_a_pattern() -> None:
    one = box(1, area_name="Quay Süd", kind="relay & input box")
    assert patterned("{area}-{kind}-{n:02}", one, [7]) == ["quay-sud-relay-input-box-07"]
    assert patterned("cam", one, [1, 12]) == ["cam-1", "cam-12"]
    assert patterned("{what}{n:3}", one, [7]) == ["what-007"]
    assert len(host_label("ä" * 200)) == 63
    for pattern in ("{area}-{n:02}", "cam", "{n}"):
        for number in (1, 7, 12, 3456):
            [label] = patterned(pattern, one, [number])
            assert number_in(pattern, one, label) == number
        for other in ("", "quay-sud-0", "quay-sud-007", "cam-x", "cam-01", "0", "99999999999", "other-1"):
            assert number_in(pattern, one, other) == 0
    assert is_host_name(host_label("!!"))
    for good in ("a", "a-b.c", "x" * 63, "3com"):
        assert is_host_name(good)
    for bad in ("", "-a", "a-", "a_b", "a..b", "x" * 64, "a b", ".".join(["x" * 60] * 5)):
        assert not is_host_name(bad)


def codes(
    residents: list[Resident], line: Line = NET, rules: Rules = RULES, factory: set[str] | None = None
) -> list[str]:
    return [f"{one.code} {one.device}".strip() for one in check_line(line, rules, residents, factory or set())]


def test_each_kind_of_wrong_place_is_told() -> None:
    good = {"mask": "255.255.255.0", "gateway": "192.0.2.1", "name": "good"}
    assert codes([box(1, "192.0.2.10", has=good), box(2, "192.0.2.11")]) == []
    wrong = [
        box(1, "192.0.2.250"),
        box(2, "192.0.2.15", has={"mask": "255.255.0.0", "gateway": "198.51.100.1"}),
        box(3, "192.0.2.99", planned="192.0.2.15"),
        box(4, planned="192.0.3.9"),
        box(5, "192.0.2.255"),
        box(6, "192.0.2.0"),
        box(7, "192.0.2.201"),
        box(8, "192.0.2.12", has={"name": "bad_name"}),
        box(9, "192.0.2.60"),
        box(10, "192.0.2.16", planned="192.0.2.17", can=frozenset()),
        box(11, "192.0.2.18", has={"name": "Twice"}),
        box(12, "192.0.2.19", has={"name": "twice"}, bound=("192.0.2.18",)),
        box(13, "192.0.2.15", mine=False),
    ]
    assert codes(wrong) == [
        "own-address d1", "duplicate d2", "duplicate d3", "outside d4", "not-usable d5", "not-usable d6", "bound d11",
        "gateway-outside d2", "mask-differs d2", "in-pool d7", "reserved d8", "out-of-range d9", "cannot d10",
        "host-name d8", "name-twice d11", "name-twice d12",
    ]  # fmt: skip
    told = check_line(BUS, Rules(parity="E"), [box(1, "3", has={"parity": "O"}), box(2, "4", has={"parity": "E"})])
    assert [one.message for one in told] == [
        "It was heard with odd parity, the line's is even.",
        "Netloom speaks with no parity there, its rules say even.",
    ]
    assert codes([box(1, "0"), box(2, "3", has={"speed": "9600"}), box(3)], BUS, Rules(speed=38400), {"0"}) == [
        "factory-place d1",
        "speed-differs d2",
    ]
    assert len(set(CODES)) == len(CODES)


def test_lines_that_share_a_subnet_or_that_this_computer_is_not_on() -> None:
    wide = Line("wide", "Wide", "ip", network="192.0.2.0/23")
    apart = Line("apart", "Apart", "ip", network="198.51.100.0/24")
    found = check_lines([NET, apart, wide, BUS], {"apart": "This computer has no address in 198.51.100.0/24."})
    assert [(one.code, one.line) for one in found] == [("same-subnet", "net"), ("line-lost", "apart")]


def test_one_of_another_subnet_is_told_with_what_reaches_it() -> None:
    found = check_line(NET, Rules(), [box(1, "192.168.1.250", mine=False), box(2, "192.168.1.9"), box(3, "192.0.2.9")])
    assert [(one.code, one.device) for one in found] == [("other-subnet", "d1"), ("other-subnet", "d2")]
    assert "ip address add 192.168.1.254/24 dev INTERFACE (as root)" in found[1].hint
    assert "192.168.1.0/24 as a line" in found[0].hint


def test_one_that_goes_to_another_line_only_leaves_this_one() -> None:
    leaves = box(1, "192.0.2.10", planned="198.51.100.9", elsewhere=True)
    assert codes([leaves, box(2, "192.0.2.11")]) == []
    comes = box(1, planned="192.0.2.11", fitted=True)
    assert codes([comes, box(2, "192.0.2.11")]) == ["duplicate d1", "duplicate d2"]
