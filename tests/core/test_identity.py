"""Who is it: fusing sightings, knowing devices again, two on one address, addresses taken."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from netloom_core.addressing.conflicts import Holder, check_address, free_addresses
from netloom_core.errors import AddressOutside, AddressTaken
from netloom_core.library.load import Library
from netloom_core.model.line import Line
from netloom_core.model.sighting import Sighting
from netloom_core.sweep.finding import Finding, Known
from netloom_core.sweep.identity import fuse
from netloom_core.testing.rig import NET

BUS = Line("bus", "Bus", "serial", path="/dev/x", protocol="osdp")


def seen(address: str, method: str = "http", line: str = "net", time: float = 1.0, **facts: str) -> Sighting:
    return Sighting(line, address, method, time, facts)


def rx8(address: str, serial: str, method: str = "http", **more: str) -> Sighting:
    return seen(address, method, maker="Hallvane", model="RX8", serial=serial, **more)


def one(found: list[Finding]) -> Finding:
    assert len(found) == 1
    return found[0]


def test_methods_fuse_into_one_finding(library: Library) -> None:
    found = one(fuse([seen("127.20.10.11", "connect", ports="8480"), rx8("127.20.10.11", "HV-1", "mdns"),
                      rx8("127.20.10.11", "HV-1")], [], library))  # fmt: skip
    assert (found.status, found.profile, found.methods) == ("new", "hallvane-rx8", ["connect", "http", "mdns"])


def test_it_is_known_again_at_another_address(library: Library) -> None:
    known = [Known("d1", "hallvane|hv-1", "hallvane-rx8", "net", "127.20.10.11")]
    assert one(fuse([rx8("127.20.10.11", "HV-1")], known, library)).status == "known"
    moved = one(fuse([rx8("127.20.10.77", "HV-1")], known, library))
    assert (moved.device, moved.status) == ("d1", "moved")


def test_another_speed_is_another_place(library: Library) -> None:
    known = [Known("d1", "dunmarrow|00b70e31", "dunmarrow-dm24", "bus", "3", 9600)]
    facts = {"maker": "Dunmarrow", "serial": "00B70E31", "vendor": "0A4E4C", "model_number": "24", "speed": "38400"}
    assert one(fuse([seen("3", "osdp", "bus", **facts)], known, library)).status == "moved"


def test_a_planned_device_is_met_by_place_and_model(library: Library) -> None:
    planned = Known("d1", "", "hallvane-rx8", "net", "127.20.10.13")
    assert one(fuse([rx8("127.20.10.13", "HV-5")], [planned], library)).device == "d1"
    other = Known("d1", "", "dunmarrow-dm24", "net", "127.20.10.13")
    assert one(fuse([rx8("127.20.10.13", "HV-5")], [other], library)).device == ""


def test_two_identities_at_one_address_stay_two(library: Library) -> None:
    found = fuse([rx8("127.20.10.11", "HV-1"), rx8("127.20.10.11", "HV-2")], [], library)
    assert [f.status for f in found] == ["duplicate", "duplicate"]


def test_garbled_answers_are_a_collision(library: Library) -> None:
    assert one(fuse([seen("4", "osdp", "bus", garbled="yes", speed="9600")], [], library)).status == "duplicate"


def test_an_open_port_alone_stays_unknown_with_its_evidence(library: Library) -> None:
    found = one(fuse([seen("127.20.10.50", "connect", ports="8480")], [], library))
    assert (found.status, found.facts["ports"]) == ("unknown", "8480")


def test_what_answered_itself_beats_what_was_announced(library: Library) -> None:
    found = one(fuse([rx8("127.20.10.200", "HV-1", "mdns"), rx8("127.20.10.14", "HV-1")], [], library))
    assert found.address == "127.20.10.14"


serials = st.sampled_from([f"HV-{n}" for n in range(6)])
hosts = st.integers(2, 9).map(lambda n: f"127.20.10.{n}")
methods = st.sampled_from(["http", "mdns"])


@given(st.lists(st.tuples(hosts, serials, methods), max_size=40), st.randoms())
def test_one_finding_for_each_identity_in_any_order(library: Library, met: list, random) -> None:  # type: ignore[no-untyped-def]
    """One that answers itself at two addresses of a line, with nothing that shows one MAC, is two that were cloned."""
    sightings = [rx8(host, serial, method) for host, serial, method in met]
    found = fuse(sightings, [], library)
    expected: list[str] = []
    for serial in {serial for _, serial, _ in met}:
        cloned = len({host for host, told, method in met if told == serial and method == "http"}) > 1
        expected += [serial] * (len({host for host, told, _ in met if told == serial}) if cloned else 1)
    assert sorted(f.identity.serial for f in found) == sorted(expected)
    random.shuffle(sightings)
    again = fuse(sightings, [], library)
    assert {f.identity.serial for f in again} == {f.identity.serial for f in found}


# Addresses


def test_addresses_that_cannot_be() -> None:
    taken = [Holder("d1", "Ticket hall box", "net", "127.20.10.11"), Holder("d2", "Pier", "net", "127.20.10.13", True)]
    check_address(NET, "127.20.10.11", "d1", taken)
    with pytest.raises(AddressTaken, match="belongs to Ticket hall box"):
        check_address(NET, "127.20.10.11", "d3", taken)
    with pytest.raises(AddressTaken, match="planned for Pier"):
        check_address(NET, "127.20.10.13", "d3", taken)
    with pytest.raises(AddressTaken, match="own address"):
        check_address(NET, "127.20.10.1", "d3", taken)
    for outside in ("127.20.11.5", "127.20.10.255", "127.20.10.0", "x", ""):
        with pytest.raises(AddressOutside):
            check_address(NET, outside, "d3", taken)
    for outside in ("127", "-1", "x"):
        with pytest.raises(AddressOutside, match="Bus"):
            check_address(BUS, outside, "d3", [])


def test_free_addresses_go_on_in_order() -> None:
    assert free_addresses(NET, ["127.20.10.12", "127.20.10.13"], after="127.20.10.11")[:2] == [
        "127.20.10.14",
        "127.20.10.15",
    ]
    assert free_addresses(BUS, ["0", "1", "3"])[:2] == ["2", "4"]


def test_a_network_that_is_too_large_is_refused() -> None:
    with pytest.raises(AddressOutside, match="at most"):
        Line("big", "Big", "ip", network="127.0.0.0/8").hosts()
