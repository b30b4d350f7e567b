"""Addresses are given to real clients on a wire: Debian's dhclient and udhcpc, and one that knows BOOTP alone."""

from __future__ import annotations

import json
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import ROOT
from tests.laboratory.test_servers import as_root, lease, lease_server, mac
from tests.laboratory.wire import Wire, environment, within
from tests.patience import SOON_S
from tests.peers.conftest import program

PLANNED = "10.77.0.50"


class Giving:
    def __init__(self, wire: Wire, folder: Path, plan: dict[str, str]) -> None:
        self._plan, self._told = folder / "plan.json", folder / "told.json"
        self.change(plan)
        self.process = within(
            wire.desk, sys.executable, "-m", "tests.laboratory.giver", wire.network, wire.source, str(self._plan),
            str(self._told), stdin=subprocess.PIPE, stdout=subprocess.PIPE,
        )  # fmt: skip
        assert self.process.stdout is not None
        assert self.process.stdout.readline().strip() == "ready"

    def change(self, plan: dict[str, str]) -> None:
        self._plan.write_text(json.dumps(plan))

    def told(self, test: Callable[[dict[str, Any]], Any], what: str) -> Any:
        for _ in range(300):
            shown = json.loads(self._told.read_text()) if self._told.exists() else {}
            if shown and test(shown):
                return test(shown)
            time.sleep(0.1)
        raise AssertionError(f"waited in vain for {what}: {shown}")

    def accept(self, mac: str, address: str) -> None:
        assert self.process.stdin is not None
        self.process.stdin.write(f"accept {mac} {address}\n")
        self.process.stdin.flush()


@pytest.fixture
def giving(wire: Wire, tmp_path: Path) -> Iterator[Giving]:
    made = Giving(wire, tmp_path, {mac(2): PLANNED})
    yield made
    made.process.terminate()
    made.process.communicate(timeout=SOON_S)


def said(shown: dict[str, Any]) -> list[str]:
    return [f"{one['mac']} {one['asked']}: {one['said']}" for one in reversed(shown["exchanges"])]


def udhcpc(wire: Wire, name: str, folder: Path) -> subprocess.Popen[str]:
    """One attempt of a few seconds; what it is given stands in a file then."""
    script = folder / f"{name}.sh"
    script.write_text(
        f'#!/bin/sh\n[ "$1" = bound ] && echo "$ip $subnet $router $lease" > {folder}/{name}.bound\nexit 0\n'
    )
    script.chmod(0o755)
    words = (program("busybox"), "udhcpc", "-i", "eth0", "-n", "-q", "-f", "-t", "4", "-T", "2", "-s", str(script))
    return within(wire.hosts[name].space, *words, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)


@as_root
def test_clients_of_the_plan_are_given_its_addresses_and_strangers_nothing(
    wire: Wire, giving: Giving, tmp_path: Path
) -> None:
    wire.host("box", mac(2))
    assert lease(wire, "box", tmp_path) == PLANNED
    giving.told(lambda s: any(f"given {PLANNED}" in one for one in said(s)), "the lease")
    assert giving.told(lambda s: s["given"], "who was given") == [{"mac": mac(2), "address": PLANNED}]
    wire.host("other", mac(3))
    client = udhcpc(wire, "other", tmp_path)
    assert client.wait(40) != 0, "nobody named it"
    assert not (tmp_path / "other.bound").exists()
    [stranger] = giving.told(lambda s: s["strangers"], "the stranger")
    assert stranger["mac"] == mac(3)
    assert stranger["count"] > 1
    giving.accept(mac(3), "10.77.0.51")
    giving.told(lambda s: s["accepted"], "that it is accepted")
    assert udhcpc(wire, "other", tmp_path).wait(40) == 0
    assert (tmp_path / "other.bound").read_text().split()[:2] == ["10.77.0.51", "255.255.255.0"]


@as_root
def test_an_address_that_somebody_has_is_not_given_and_another_server_is_told(
    wire: Wire, giving: Giving, tmp_path: Path
) -> None:
    wire.host("squatter", mac(9), PLANNED)
    wire.host("server", mac(1), "10.77.0.2")
    lease_server(wire, "server", 100, tmp_path)
    wire.host("box", mac(2))
    client = udhcpc(wire, "box", tmp_path)
    giving.told(lambda s: any(f"{mac(9)} has {PLANNED} already" in one for one in said(s)), "that it is taken")
    client.wait(40)
    others = giving.told(lambda s: s["others"], "the other server")
    assert others[0]["server"] == "10.77.0.2"


CLIENT = """
import os, socket, sys, time
s = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
s.setsockopt(socket.SOL_SOCKET, socket.SO_BROADCAST, 1)
s.setsockopt(socket.SOL_SOCKET, socket.SO_BINDTODEVICE, b"eth0")
s.bind(("", 68))
"""
BOOTP = f"""{CLIENT}
s.settimeout(4)
mac = bytes.fromhex(sys.argv[1].replace(":", ""))
ask = bytes((1, 1, 6, 0, 9, 9, 9, 9, 0, 0, 0x80, 0)) + bytes(16) + mac + bytes(10 + 64 + 128) + bytes(64)
for _ in range(6):
    s.sendto(ask, ("255.255.255.255", 67))
    try:
        answer = s.recv(2000)
    except TimeoutError:
        continue
    assert answer[0] == 2 and answer[4:8] == bytes((9, 9, 9, 9)) and answer[28:34] == mac
    print(socket.inet_ntoa(answer[16:20]), len(answer), 53 in answer[240:241])
    break
"""


@as_root
def test_a_unit_that_knows_bootp_alone_is_given_its_address(wire: Wire, giving: Giving, tmp_path: Path) -> None:
    wire.host("old", mac(2))
    words = [program("ip"), "netns", "exec", wire.hosts["old"].space, sys.executable, "-c", BOOTP, mac(2)]
    done = subprocess.run(words, capture_output=True, text=True, timeout=60, env=environment(), cwd=ROOT, check=False)
    assert done.stdout.split() == [PLANNED, "300", "False"], done.stderr
    giving.told(lambda s: any("asks by BOOTP: given" in one for one in said(s)), "the exchange")
    # The plan changes: what it says now is given, without a new start; it is looked up once a second.
    giving.change({mac(2): "10.77.0.77"})
    time.sleep(1.5)
    done = subprocess.run(words, capture_output=True, text=True, timeout=60, env=environment(), cwd=ROOT, check=False)
    assert done.stdout.split()[0] == "10.77.0.77"


FLOOD = f"""{CLIENT}
until = time.monotonic() + 20
while time.monotonic() < until:
    for _ in range(40):
        mac = b"\\x02" + os.urandom(5)
        ask = bytes((1, 1, 6, 0)) + os.urandom(4) + bytes(20) + mac + bytes(202)
        ask += bytes((99, 130, 83, 99, 53, 1, 1, 255))
        s.sendto(ask, ("255.255.255.255", 67))
        s.sendto(os.urandom(300), ("255.255.255.255", 67))
    time.sleep(0.1)
"""


@as_root
def test_a_flood_of_strangers_and_of_noise_keeps_nobody_from_its_address(
    wire: Wire, giving: Giving, tmp_path: Path
) -> None:
    wire.host("flood", mac(9), "10.77.0.99")
    wire.run(wire.hosts["flood"].space, sys.executable, "-c", FLOOD)
    wire.host("box", mac(2))
    assert lease(wire, "box", tmp_path) == PLANNED
    assert giving.told(lambda s: len(s["strangers"]) <= 128 and s["strangers"], "strangers")


@as_root
def test_no_address_is_given_to_two(wire: Wire, giving: Giving, tmp_path: Path) -> None:
    """Whoever accepts, and whatever the plan becomes meanwhile."""
    giving.accept(mac(3), "10.77.0.51")
    giving.accept(mac(4), "10.77.0.51")
    giving.told(lambda s: any("was given to" in note for note in s["notes"]), "the refusal")
    assert [one["mac"] for one in giving.told(lambda s: s["accepted"], "who is accepted")] == [mac(3)]
    giving.change({mac(2): "10.77.0.51"})
    wire.host("box", mac(2))
    assert udhcpc(wire, "box", tmp_path).wait(40) != 0
    giving.told(lambda s: any("is planned for another one, too" in one for one in said(s)), "why")
    giving.change({mac(2): PLANNED, mac(3): "10.77.0.53"})
    wire.host("other", mac(3))
    time.sleep(1.5)
    assert udhcpc(wire, "other", tmp_path).wait(40) == 0
    assert (tmp_path / "other.bound").read_text().split()[0] == "10.77.0.53", "the plan goes before what was accepted"
