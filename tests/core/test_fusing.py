"""Who is it: the rules of fusing, on single cases and on a generated installation of thousands."""

from __future__ import annotations

import cProfile
import pstats
from collections import defaultdict
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from netloom_core.identity.keys import best_key, keys_of
from netloom_core.library.load import Library
from netloom_core.model.sighting import Sighting
from netloom_core.sweep.finding import Finding, Known, Place
from netloom_core.sweep.guess import guess
from netloom_core.sweep.identity import fuse
from tests.core.site_of_thousands import site

HERE, THERE = "10.0.0.1", "10.0.0.2"


def seen(address: str, method: str = "http", line: str = "net", **facts: str) -> Sighting:
    return Sighting(line, address, method, 1.0, facts)


def box(address: str, serial: str, **facts: str) -> Sighting:
    return seen(address, maker="Hallvane", model="RX8", serial=serial, **facts)


# The generated installation


@pytest.mark.parametrize("seed", [1, 2])
def test_no_false_join_and_no_false_split_among_five_thousand(library: Library, seed: int) -> None:
    devices, records, marked = site(5000, seed)
    truth = {id(sighting): numbers for sighting, numbers in marked}
    findings = fuse([sighting for sighting, _ in marked], records, library)

    homes: dict[int, set[int]] = defaultdict(set)
    for index, finding in enumerate(findings):
        owners = {n for sighting in finding.sightings for n in truth[id(sighting)]}
        strong = {n for s in finding.sightings if keys_of(s.facts) for n in truth[id(s)]}
        assert len(strong) == 1, f"a false join of {sorted(strong)}"
        # Words that name nobody, at an address that two devices share, may be anybody's of the two.
        assert owners == strong or finding.status == "duplicate"
        for n in strong:
            homes[n].add(index)
    assert all(len(found) == 1 for found in homes.values()), "a false split"
    assert len(homes) == len(devices), "everybody is found"


def test_records_moves_and_duplicates_of_the_five_thousand_are_told(library: Library) -> None:
    devices, records, marked = site(5000, 3)
    truth = {id(sighting): next(iter(numbers)) for sighting, numbers in marked}
    by_device: dict[int, Finding] = {}
    for finding in fuse([sighting for sighting, _ in marked], records, library):
        strong = next(s for s in finding.sightings if s.facts.get("serial"))
        by_device[truth[id(strong)]] = finding
    crowded = {device.places[0] for device in devices if device.number % 50 == 49}
    for device in devices:
        finding = by_device[device.number]
        assert finding.device == (device.record.device if device.record else ""), device
        if any(spot in crowded for spot in device.places):
            assert finding.status == "duplicate"
        elif device.record is not None:
            assert finding.status == ("moved" if device.number % 5 == 3 else "known"), device
        assert len(finding.places) == len(device.places), "one device on two lines is one"


def test_fusing_grows_with_what_was_seen_and_no_faster(library: Library) -> None:
    """Counted, not measured: four times as much takes about four times as many calls. bench/fuse.py measures."""

    def calls(devices: int) -> int:
        _, records, marked = site(devices, 4)
        profiler = cProfile.Profile()
        profiler.runcall(fuse, [sighting for sighting, _ in marked], records, library)
        return int(pstats.Stats(profiler).total_calls)  # type: ignore[attr-defined]

    assert calls(1000) < 5 * calls(250)


# Single rules


def test_a_mac_from_an_old_sighting_leads_to_the_record(library: Library) -> None:
    known = [Known("d1", "hallvane|hv-1", "", "net", HERE, keys=("mac:0a:00:00:00:00:01",))]
    [finding] = fuse([seen(THERE, "neighbour", mac="0A-00-00-00-00-01")], known, library)
    assert (finding.device, finding.status) == ("d1", "moved")


def test_one_mac_with_two_serial_numbers_stays_two(library: Library) -> None:
    """A cloned MAC, or a gateway that answers for others."""
    mac = "0a:00:00:00:00:01"
    findings = fuse([box(HERE, "HV-1", mac=mac), box(THERE, "HV-2", mac=mac)], [], library)
    assert [f.identity.serial for f in findings] == ["HV-1", "HV-2"]


def test_two_identities_at_one_address_are_both_visible(library: Library) -> None:
    findings = fuse([box(HERE, "HV-1"), box(HERE, "HV-2"), seen(HERE, "connect", ports="80")], [], library)
    assert [(f.identity.serial, f.status) for f in findings] == [("HV-1", "duplicate"), ("HV-2", "duplicate")]


def test_an_old_announcement_makes_no_duplicate(library: Library) -> None:
    stale = seen(THERE, "mdns", maker="Hallvane", model="RX8", serial="HV-1")
    findings = fuse([box(HERE, "HV-1"), stale, box(THERE, "HV-2")], [], library)
    assert [(f.address, f.status) for f in findings] == [(HERE, "new"), (THERE, "new")]


def test_a_person_said_that_they_are_apart(library: Library) -> None:
    mac = "0a:00:00:00:00:01"
    known = [Known("d1", "hallvane|hv-1", "", "net", HERE, apart=(f"mac:{mac}",))]
    findings = fuse([box(HERE, "HV-1"), seen(THERE, "neighbour", mac=mac)], known, library)
    assert [(f.address, f.device) for f in findings] == [(HERE, "d1"), (THERE, "")]


def test_a_person_said_that_two_are_one(library: Library) -> None:
    """Joining gives a record the keys of both, and that is all that fusing needs."""
    known = [Known("d1", "hallvane|hv-1", "", "net", HERE, keys=("hallvane|hv-1", "mac:0a:00:00:00:00:09"))]
    sightings = [box(HERE, "HV-1"), seen(THERE, "neighbour", "other", mac="0a:00:00:00:00:09")]
    [finding] = fuse(sightings, known, library)
    assert finding.device == "d1"
    assert {place.line for place in finding.places} == {"net", "other"}


@pytest.mark.parametrize(
    "facts",
    [
        {"maker": "X", "serial": "000000"},
        {"maker": "X", "serial": "N/A"},
        {"maker": "X", "serial": "Default"},
        {"serial": "123"},
        {"mac": "00:00:00:00:00:00"},
        {"mac": "ff:ff:ff:ff:ff:ff"},
        {"mac": "01:00:5e:00:00:01"},
        {"mac": "not a mac"},
        {"uuid": "00000000-0000-0000-0000-000000000000"},
        {"uuid": "x"},
    ],
)
def test_placeholders_name_nobody(facts: dict[str, str]) -> None:
    assert keys_of(facts) == []


def test_a_label_name_and_a_reported_name_are_one_model(library: Library) -> None:
    reported = library.best({"maker": "CORRAIN", "model": "CR-EXT1-TX"})
    assert reported is not None
    assert reported.model == "XT1 Kit"


def test_a_firmware_mode_is_the_same_device(library: Library) -> None:
    mac = "0a:ad:22:00:22:19"
    known = [Known("d1", "ardlan|ap-1", "ardlan-p2", "net", HERE, keys=(f"mac:{mac}",))]
    [finding] = fuse([seen(HERE, "snmp", maker="Ardlan", model="P2 Loader", mac=mac)], known, library)
    assert (finding.device, finding.facts["mode"], finding.profile) == ("d1", "loader", "ardlan-p2")


def test_a_host_name_joins_only_what_tells_nothing_better(library: Library) -> None:
    known = [Known("d1", "", "", "net", HERE, host="foyer-pc")]
    [moved] = fuse([seen(THERE, "telnet", host="Foyer-PC")], known, library)
    assert (moved.device, moved.status) == ("d1", "moved")
    twice = fuse([seen(THERE, "telnet", host="foyer-pc"), seen("10.0.0.3", "telnet", host="foyer-pc")], known, library)
    assert [f.device for f in twice] == ["", ""], "two call themselves so: nobody can say which"


def test_bytes_without_sense_belong_to_nobody(library: Library) -> None:
    known = [Known("d1", "grayle|gm-5", "grayle-m4", "bus", "5", 9600)]
    [finding] = fuse([Sighting("bus", "5", "modbus", 1.0, {"speed": "9600", "garbled": "yes"})], known, library)
    assert (finding.device, finding.status) == ("", "duplicate")


def test_what_only_a_switch_sees_is_evidence_and_no_device(library: Library) -> None:
    port = Sighting("net", "", "forwarding", 1.0, {"mac": "0a:00:00:00:00:01", "switch": THERE, "switch_port": "7"})
    assert fuse([port], [], library) == []
    [finding] = fuse([port, box(HERE, "HV-1", mac="0a:00:00:00:00:01")], [], library)
    assert (finding.facts["switch_port"], finding.address) == ("7", HERE)


@given(st.permutations(range(6)))
def test_the_order_of_sightings_does_not_matter(order: list[int]) -> None:
    sightings = [
        box(HERE, "HV-1", mac="0a:00:00:00:00:01"),
        seen(HERE, "connect", ports="80"),
        seen(THERE, "neighbour", mac="0a:00:00:00:00:01"),
        box("10.0.0.3", "HV-2", uuid="6f1c9a5e-0b77-5d3e-9a44-0a4e4c000001"),
        seen("10.0.0.4", "ssdp", uuid="6f1c9a5e-0b77-5d3e-9a44-0a4e4c000001"),
        seen("10.0.0.3", "telnet", banner="hello"),
    ]
    library = Library([])
    found = fuse([replace(sightings[n], time=1.0) for n in order], [], library)
    assert [(sorted(f.keys), sorted(p.address for p in f.places)) for f in found] == [
        (["hallvane|hv-1", "mac:0a:00:00:00:00:01"], [HERE, THERE]),
        (["hallvane|hv-2", "uuid:6f1c9a5e0b775d3e9a440a4e4c000001"], ["10.0.0.3"]),
    ]


def test_the_best_key_is_of_the_highest_grade() -> None:
    assert best_key(["mac:0a:00:00:00:00:01", "uuid:00ff", "hallvane|hv-1"]) == "hallvane|hv-1"
    assert best_key([]) == ""
    assert Known("d", "", "", "net", HERE, places=(Place("b", THERE),)).everywhere[1] == Place("b", THERE)


@pytest.mark.parametrize(
    ("facts", "words"),
    [
        ({"types": "NetworkVideoTransmitter"}, "a network camera"),
        ({"ports": "22 4352"}, "a display or projector"),
        ({"mac": "0a:0c:c2:00:00:01"}, "by Oystercatch"),
        ({"style": "node", "maker": "Lumenfold"}, "lighting network node by Lumenfold"),
        ({"echo": "yes"}, "tells no more"),
    ],
)
def test_a_best_guess_says_what_it_rests_on(library: Library, facts: dict[str, str], words: str) -> None:
    assert words in guess(facts, library)
