"""Sweeps of a real Ethernet: who is there is found at the first one, and nobody is called there who was not."""

from __future__ import annotations

import random
import sys
from pathlib import Path
from typing import Any

import pytest

from tests.laboratory.conftest import MakeWire, mac
from tests.laboratory.rounds import Rounds
from tests.laboratory.wire import Desk, Wire

QUICK = ["neighbour", "connect", "http", "ssh", "telnet", "echo"]
SL_77 = [
    ["1.3.6.1.2.1.47.1.1.1.1.5.1", "int", 3], ["1.3.6.1.2.1.47.1.1.1.1.11.1", "text", "SL-77"],
    ["1.3.6.1.2.1.47.1.1.1.1.12.1", "text", "Pellow"],
    ["1.3.6.1.2.1.47.1.1.1.1.5.9", "int", 10], ["1.3.6.1.2.1.47.1.1.1.1.11.9", "text", "TRANSCEIVER-1"],
]  # fmt: skip


def by_address(result: dict[str, Any]) -> dict[str, dict[str, Any]]:
    return {found["address"]: found for found in result["found"]}


def here(result: dict[str, Any]) -> list[str]:
    """IPv4 addresses of what was found, in order; a duplicate's twice."""
    return [found["address"] for found in result["found"] if "." in found["address"]]


def known(numbers: range, places: dict[int, str]) -> list[dict[str, Any]]:
    return [{"device": f"d{n}", "key": f"mac:{mac(n)}", "address": places[n]} for n in numbers]


@pytest.mark.parametrize("plain", [False, True])
def test_a_sparse_network_is_found_whole_at_the_first_sweep(make_wire: MakeWire, tmp_path: Path, plain: bool) -> None:
    """Silent addresses hold nobody up: an agent that answers at once is found among a thousand that are not there."""
    wire = make_wire(22)
    places = sorted(random.Random(7).sample(range(2, 1022), 24))
    wire.many([(f"h{n}", mac(n), f"10.77.{place >> 8}.{place & 255}") for n, place in enumerate(places)])
    services: list[dict[str, Any]] = [{"kind": "agent"}, {"kind": "page", "port": 80, "title": "A page"}]
    wire.crowd({f"h{n}": [dict(services[n % 2])] for n in range(len(places))}, tmp_path)
    result = Desk(wire).sweep(methods=[*QUICK, "snmp"], plain=plain)
    assert here(result) == [host.address for host in wire.hosts.values()]
    for n, host in enumerate(wire.hosts.values()):
        found = by_address(result)[host.address]
        assert ("page" if n % 2 else "snmp") in found["methods"]
        assert found["keys"] == [f"mac:{host.mac}"]
    assert {method["state"] for method in result["methods"].values()} == {"done"}
    assert result["methods"]["connect"]["sent"] < 24 * 60, "nobody asks a thousand silent addresses"


def test_an_address_that_two_claim_is_told_at_the_first_sweep(wire: Wire, desk: Desk, tmp_path: Path) -> None:
    wire.host("one", mac(1), "10.77.0.10")
    wire.host("two", mac(2), "10.77.0.10")
    wire.crowd({"one": [{"kind": "page", "port": 80, "title": "One"}]}, tmp_path)
    result = desk.sweep(methods=QUICK)
    assert [(f["address"], f["status"]) for f in result["found"]] == [("10.77.0.10", "duplicate")] * 2
    assert {key for f in result["found"] for key in f["keys"]} == {f"mac:{mac(1)}", f"mac:{mac(2)}"}


@pytest.mark.parametrize("plain", [False, True])
def test_who_was_pulled_a_moment_ago_is_not_there(wire: Wire, desk: Desk, plain: bool) -> None:
    """The system's table still has them, and that is no sighting."""
    places = {n: f"10.77.0.{10 + n}" for n in range(4)}
    wire.many([(f"h{n}", mac(n), places[n]) for n in places])
    records = known(range(4), places)
    first = desk.sweep(known=records, methods=QUICK, plain=plain)
    assert {found["device"] for found in first["found"]} == {"d0", "d1", "d2", "d3"}, first
    wire.pull("h1")
    wire.readdress("h2", "10.77.0.99")
    found = desk.sweep(known=records, methods=QUICK, plain=plain)["found"]
    assert [(f["device"], f["status"], f["address"]) for f in found] == [
        ("d0", "known", "10.77.0.10"),
        ("d3", "known", "10.77.0.13"),
        ("d2", "moved", "10.77.0.99"),
    ]
    wire.plug("h1")
    assert "d1" in {f["device"] for f in desk.sweep(known=records, methods=QUICK, plain=plain)["found"]}


def test_a_switch_says_who_is_at_which_port(wire: Wire, desk: Desk, tmp_path: Path) -> None:
    wire.switch("10.77.0.2")
    wire.many([(f"h{n}", mac(n), f"10.77.0.{10 + n}") for n in range(3)])
    wire.crowd({"switch": [{"kind": "switch"}]}, tmp_path)
    desk.sweep(methods=QUICK)  # by which the bridge learns who is where
    found = by_address(desk.sweep(methods=["neighbour", "snmp"]))
    assert found["10.77.0.2"]["facts"]["host"] == "Rack switch"
    for n in range(3):
        facts = found[f"10.77.0.{10 + n}"]["facts"]
        assert (facts["switch"], facts["switch_port"]) == ("10.77.0.2", f"h{n}")


def test_an_agent_that_takes_its_time_tells_everything(wire: Wire, desk: Desk, tmp_path: Path) -> None:
    wire.host("slow", mac(1), "10.77.0.10")
    wire.crowd({"slow": [{"kind": "agent", "late": 1.3, "rows": SL_77}]}, tmp_path)
    [found] = desk.sweep(methods=["neighbour", "snmp"])["found"]
    assert found["serial"] == "SL-77", "its own, and not its transceiver's"
    assert found["facts"]["maker"] == "Pellow"


HOSTILE = [
    {"kind": "drips", "port": 22}, {"kind": "drips", "port": 23, "every": 0.2}, {"kind": "drips", "port": 443},
    {"kind": "drips", "port": 4352}, {"kind": "drips", "port": 502}, {"kind": "silent", "port": 8443},
    {"kind": "drips", "port": 2217, "every": 0.2, "byte": "\xff"}, {"kind": "floods", "port": 4001},
    {"kind": "floods", "port": 80, "begin": "HTTP/1.1 200 OK\r\n\r\n<title>Endless</title>"},
    {"kind": "floods", "port": 8080, "begin": "HTTP/1.1 200 OK\r\nx: "}, {"kind": "silent", "port": 8480},
    {"kind": "floods", "port": 554},
]  # fmt: skip


def test_a_dozen_hostile_services_hold_up_nobody(wire: Wire, desk: Desk, tmp_path: Path) -> None:
    """Drips of a byte a second, floods, endless headers and lines: each talk has its time, and is told if it is cut."""
    wire.host("good", mac(1), "10.77.0.10")
    wire.host("bad", mac(2), "10.77.0.11")
    wire.crowd({"good": [{"kind": "page", "port": 80, "title": "Good"}]}, tmp_path)
    wire.crowd({"bad": HOSTILE}, tmp_path)
    methods = [*QUICK, "tls", "pjlink", "modbus-tcp", "rfc2217"]
    result = desk.sweep(methods=methods)
    assert result["methods"]["connect"]["seconds"] < 12
    assert {method["state"] for method in result["methods"].values()} == {"done"}
    found = by_address(result)
    assert found["10.77.0.10"]["facts"]["title"] == "Good"
    assert found["10.77.0.11"]["facts"]["title"] == "Endless", "the page never ends, its title is there"
    assert found["10.77.0.11"]["facts"]["ports"] == "22 23 80 443 502 554 2217 4001 4352 8080 8443 8480"


def test_hostile_agents_and_multicasts_neither_hide_others_nor_have_no_end(
    wire: Wire, desk: Desk, tmp_path: Path
) -> None:
    """Tables that never end, three hundred places that drip, noise on every group."""
    wire.host("good", mac(1), "10.77.0.10")
    wire.host("bad", mac(2), "10.77.0.11")
    wire.crowd({"good": [{"kind": "agent", "rows": SL_77}, {"kind": "page", "port": 80, "title": "Good"}]}, tmp_path)
    noise = [("224.0.0.251", 5353), ("239.255.255.250", 1900), ("239.255.255.250", 3702), ("239.255.250.214", 5568)]
    bad = [{"kind": "noise", "address": "10.77.0.11", "port": port, "group": group} for group, port in noise]
    wire.crowd({"bad": [{"kind": "endless_agent"}, {"kind": "liar", "address": "10.77.0.11"}, *bad]}, tmp_path)
    result = desk.sweep(methods=["neighbour", "connect", "http", "snmp", "ssdp", "mdns", "ws-discovery", "artnet"])
    found = by_address(result)
    assert (found["10.77.0.10"]["serial"], found["10.77.0.10"]["facts"]["title"]) == ("SL-77", "Good")
    assert {method["state"] for method in result["methods"].values()} == {"done"}
    assert result["seconds"] < 25
    assert any("not read to its end" in n or "no longer" in n for n in result["methods"]["snmp"]["notes"])


def test_a_node_without_a_right_ipv4_address_is_seen_over_ipv6(wire: Wire, desk: Desk) -> None:
    wire.host("lost", mac(1), "192.168.5.9", 24)
    record = [{"device": "d1", "key": f"mac:{mac(1)}", "address": "10.77.0.10"}]
    [found] = desk.sweep(known=record, methods=["neighbour", "ipv6"])["found"]
    assert (found["device"], found["status"]) == ("d1", "by-ipv6")
    wire.readdress("lost", "10.77.0.10")
    [found] = desk.sweep(known=record, methods=["neighbour", "ipv6"])["found"]
    assert (found["device"], found["status"]) == ("d1", "known")
    assert found["facts"]["ipv6"].startswith("fe80::"), "one device with both"


def test_one_with_another_subnet_on_the_wire_is_heard(wire: Wire, desk: Desk, tmp_path: Path) -> None:
    wire.host("strange", mac(1), "192.168.5.9", 24)
    wire.run(wire.hosts["strange"].space, sys.executable, "-c", ASKS_AROUND)
    [found] = desk.sweep(methods=["neighbour"])["found"]
    assert (found["address"], found["facts"]["outside"]) == ("192.168.5.9", "yes")


ASKS_AROUND = """
import socket, time
s = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
for n in range(200):
    s.sendto(b"", ("192.168.5.%d" % (n % 250 + 1), 9))
    time.sleep(0.1)
"""


def test_random_pulls_moves_and_clones(wire: Wire, desk: Desk) -> None:
    """Three rounds here, two hundred in bench/laboratory.py: what did not answer in that sweep is not called known."""
    rounds = Rounds(wire, desk, random.Random(3))
    for _ in range(3):
        assert rounds.one() == []
