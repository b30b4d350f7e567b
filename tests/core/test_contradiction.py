"""What the installation contradicts names nobody: cloned images, placeholders, virtual addresses, proxies,
relabelled units, leases that move, two forms of one serial number; on single cases and on generated ones."""

from __future__ import annotations

import random

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from netloom_core.identity.keys import is_placeholder, keys_of
from netloom_core.library.load import Library
from netloom_core.model.sighting import Sighting
from netloom_core.sweep.finding import Finding, Known
from netloom_core.sweep.identity import fuse
from tests.core import troubled_site

A, B, C = "10.0.0.5", "10.0.0.6", "10.0.0.7"
M1, M2, M3 = "00:50:c2:00:00:01", "00:50:c2:00:00:02", "00:50:c2:00:00:03"
UUID = "6f1c9a5e-0b77-5d3e-9a44-0a4e4c000001"
NONE = Library([])


def seen(address: str, method: str, **facts: str) -> Sighting:
    return Sighting("net", address, method, 1.0, facts)


def arp(address: str, mac: str) -> Sighting:
    return seen(address, "neighbour", mac=mac)


def http(address: str, serial: str, **facts: str) -> Sighting:
    return seen(address, "http", maker="Hallvane", model="RX8", serial=serial, **facts)


def found(*sightings: Sighting, known: tuple[Known, ...] = (), common: dict[str, str] | None = None) -> list[Finding]:
    return fuse(sightings, known, NONE, common)


@pytest.mark.parametrize(
    "serial",
    ["0123456789", "12345678", "00000001", "1", "null", "To be filled by O.E.M.", "System Serial Number", "SN000000",
     "N/A", "0x00000000", "XXXXXXXX", "S/N: 0000", "Default string", "aaaa"],
)  # fmt: skip
def test_placeholders(serial: str) -> None:
    assert is_placeholder(serial)
    assert keys_of({"maker": "Hallvane", "serial": serial}) == []


@pytest.mark.parametrize(
    "serial", ["HV-0012", "0A0000000012", "00B70E99", "1098", "123", "10", "A1", "deadbeef", "SN-001098"]
)
def test_what_is_a_number_of_its_own(serial: str) -> None:
    assert keys_of({"maker": "Hallvane", "serial": serial})


@pytest.mark.parametrize("mac", ["00:00:5e:00:01:07", "00:00:5e:00:02:01", "02:42:ac:11:00:02", "01:00:5e:00:00:fb"])
def test_virtual_addresses_name_nobody(mac: str) -> None:
    assert keys_of({"mac": mac}) == []


def test_one_uuid_under_two_macs_names_neither_now_or_later() -> None:
    common: dict[str, str] = {}
    both = [arp(A, M1), arp(B, M2), seen(A, "sacn", uuid=UUID), seen(B, "sacn", uuid=UUID)]
    assert [f.address for f in found(*both, common=common)] == [A, B]
    assert list(common) == ["uuid:" + UUID.replace("-", "")]
    known = Known("d1", "mac:" + M1, "", "net", A, keys=("uuid:" + UUID.replace("-", ""),))
    [one] = found(arp(B, M2), seen(B, "sacn", uuid=UUID), known=(known,), common=common)
    assert one.device == "", "the other clone is not taken for the one on record"


def test_a_clone_that_comes_after_the_first_went_is_not_it() -> None:
    known = Known("d1", "uuid:" + UUID.replace("-", ""), "", "net", A, keys=("mac:" + M1,))
    [one] = found(arp(A, M2), seen(A, "ssdp", uuid=UUID), known=(known,))
    assert one.device == ""


def test_one_serial_number_under_two_macs_of_a_line() -> None:
    common: dict[str, str] = {}
    two = found(arp(A, M1), arp(B, M2), http(A, "HV-7"), http(B, "HV-7"), common=common)
    assert [(f.address, f.identity.serial) for f in two] == [(A, "HV-7"), (B, "HV-7")]
    assert "hallvane|hv-7" in common
    assert all("hallvane|hv-7" in f.shared for f in two)


def test_one_that_moves_while_it_is_looked_for_is_doubted_in_that_sweep_alone() -> None:
    """As a unit on a bus whose address is changed during the scan: it is found where it was, and again next time."""
    known = Known("d1", "hallvane|hv-7", "", "net", A)
    common: dict[str, str] = {}
    here, there = found(http(A, "HV-7"), http(B, "HV-7"), known=(known,), common=common)
    assert (here.device, here.status, there.device) == ("d1", "known", "")
    assert common == {}
    [moved] = found(http(B, "HV-7"), known=(known,), common=common)
    assert (moved.device, moved.status) == ("d1", "moved")


def test_a_shared_serial_number_is_believed_where_the_record_is() -> None:
    known = Known("d1", "hallvane|hv-7", "", "net", A)
    here, there = found(arp(A, M1), arp(B, M2), http(A, "HV-7"), http(B, "HV-7"), known=(known,))
    assert (here.device, there.device) == ("d1", "")


def test_two_addresses_of_one_interface_are_one_device() -> None:
    [one] = found(arp(A, M1), arp(B, M1), http(A, "HV-7"), http(B, "HV-7"))
    assert {p.address for p in one.places} == {A, B}


def test_two_interfaces_that_it_tells_itself_are_one_device() -> None:
    sightings = [arp(A, M1), arp(B, M2), http(A, "HV-7", macs=f"{M1} {M2}"), http(B, "HV-7", macs=f"{M1} {M2}")]
    [one] = found(*sightings)
    assert {p.address for p in one.places} == {A, B}


def test_a_virtual_mac_under_two_serial_numbers() -> None:
    common: dict[str, str] = {}
    two = found(arp(A, M1), arp(B, M1), http(A, "HV-7"), http(B, "HV-8"), common=common)
    assert [(f.status, f.identity.serial) for f in two] == [("unknown", "HV-7"), ("unknown", "HV-8")]
    assert "mac:" + M1 in common


def test_a_router_that_answers_arp_for_others_makes_neither_one_nor_duplicates() -> None:
    anonymous = found(arp(A, M1), arp(B, M1), arp(C, M1))
    assert [f.address for f in anonymous] == [A, B, C]
    hosts = found(arp(A, M1), arp(B, M1), seen(A, "page", title="Gate"), seen(B, "page", title="Pier"))
    assert [f.address for f in hosts] == [A, B]


def test_two_forms_of_one_serial_number_at_one_place() -> None:
    [one] = found(arp(A, M1), http(A, "HV-0012"), seen(A, "ssdp", maker="Hallvane", serial="0A0000000012"))
    assert set(one.keys) == {"hallvane|hv-0012", "hallvane|0a0000000012", "mac:" + M1}
    assert one.status == "unknown"
    assert one.ways["hallvane|0a0000000012"] == ["ssdp"]


def test_two_serial_numbers_by_one_method_are_two() -> None:
    two = found(http(A, "HV-1"), http(A, "HV-2"))
    assert [f.status for f in two] == ["duplicate", "duplicate"]


def test_two_forms_are_not_one_where_another_bears_the_second() -> None:
    three = found(http(A, "HV-1"), seen(A, "ssdp", maker="Hallvane", serial="HV-2"), http(B, "HV-2"))
    assert len(three) == 2
    assert {f.identity.serial for f in three} == {"HV-1", "HV-2"}


def test_a_lease_that_moved_takes_nobodys_record() -> None:
    """One known by its MAC alone, without a profile: whoever gets its address is somebody else."""
    known = Known("d1", "mac:" + M1, "", "net", A)
    [other] = found(arp(A, M2), seen(A, "ssh", ssh="x"), known=(known,))
    assert other.device == ""
    [mute] = found(seen(A, "ssh", ssh="x"), known=(known,))
    assert mute.device == "", "what tells nothing does not prove to be it"
    [other, moved] = found(arp(B, M1), arp(A, M2), known=(known,))
    assert (moved.device, moved.status, other.device) == ("d1", "moved", "")


def test_a_mac_told_by_a_cloned_image_is_not_the_one_that_arp_shows() -> None:
    two = found(arp(A, M1), arp(B, M2), seen(A, "page", mac=M1, title="x"), seen(B, "page", mac=M1, title="x"))
    assert [f.address for f in two] == [A, B]


def test_the_switch_port_with_the_fewest_macs_is_nearest() -> None:
    def port(switch: str, name: str, macs: int) -> Sighting:
        facts = {"mac": M1, "switch": switch, "switch_port": name, "port_macs": str(macs)}
        return Sighting("net", "", "forwarding", 1.0, facts)

    [one] = found(arp(A, M1), port("10.0.0.2", "24", 40), port("10.0.0.3", "7", 1), port("10.0.0.4", "1", 39))
    assert (one.facts["switch"], one.facts["switch_port"]) == ("10.0.0.3", "7")


def test_pages_of_one_node_add_up() -> None:
    [one] = found(seen(A, "artnet", universes="1 2"), seen(A, "artnet", universes="3 4"))
    assert one.facts["universes"] == "1 2 3 4"


@settings(max_examples=60, deadline=None)
@given(st.integers(0, 2**32))
def test_generated_sites_with_every_trouble(seed: int) -> None:
    """No two real devices in one finding; none whose facts are its own in two; no record given to another."""
    site = troubled_site.site(random.Random(seed))
    findings = fuse([s for s, _ in site.sightings], site.records, NONE, {})
    truth = {id(sighting): who for sighting, who in site.sightings}
    homes: dict[int, set[int]] = {}
    for number, finding in enumerate(findings):
        real = {truth[id(s)] for s in finding.sightings}
        assert len(real) == 1, (site.describe(real), finding)
        for who in real:
            homes.setdefault(who, set()).add(number)
        if finding.device:
            assert finding.device == site.record_of[next(iter(real))], site.describe(real)
    for who, where in homes.items():
        if who in site.whole:
            assert len(where) == 1, site.describe({who})
