"""A real Ethernet between two namespaces made here: ARP, echo, broadcast, and this computer's own troubles."""

from __future__ import annotations

import contextlib
import json
import os
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import ROOT
from tests.patience import SOON_S
from tests.peers.conftest import peer_environment, program

MAC = "0a:1f:04:00:77:02"
# A lighting node that hears real broadcasts and answers by broadcast, from another subnet on the same wire.
NODE = """
import socket
from netloom_core.protocols import artnet
from tests.core.replies import NODE
s = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
s.setsockopt(socket.SOL_SOCKET, socket.SO_BROADCAST, 1)
s.bind(("", 6454))
print("ready", flush=True)
for _ in range(40):
    data, sender = s.recvfrom(2000)
    if sender[0] == "10.77.1.1" and artnet.opcode(data) == artnet.OP_POLL:
        s.sendto(artnet.build_reply(NODE), ("10.77.1.7", 6454))
"""


def ip(*words: str) -> None:
    subprocess.run([program("ip"), *words], check=True, capture_output=True, timeout=SOON_S, env=peer_environment())


class Pair:
    """Two namespaces with a veth between them: `here` is this computer's interface, `there` the device's."""

    def __init__(self, mark: str) -> None:
        self.mine, self.theirs = f"netloom-a{mark}", f"netloom-b{mark}"

    def mine_do(self, *words: str) -> None:
        ip("-n", self.mine, *words)

    def run(self, *words: str) -> Any:
        command = [
            program("ip"),
            "netns",
            "exec",
            self.mine,
            sys.executable,
            "-m",
            "tests.laboratory.in_namespace",
            *words,
        ]
        done = subprocess.run(command, cwd=ROOT, env=environment(), capture_output=True, text=True, timeout=90)
        assert done.returncode == 0, done.stderr
        return json.loads(done.stdout)

    def reasons(self, address: str = "10.77.1.2") -> list[str]:
        return [reason for reason, _ in self.run("why", address)]


def environment() -> dict[str, str]:
    return {**peer_environment(), "PYTHONPATH": f"{ROOT / 'src'}:{ROOT}"}


@pytest.fixture
def wire() -> Iterator[Pair]:
    if subprocess.run(["unshare", "--net", "--mount", "true"], capture_output=True, check=False).returncode:
        pytest.skip("this system allows no network namespaces, so nothing was tried on a real Ethernet")
    made = Pair(str(os.getpid()))
    try:
        for name in (made.mine, made.theirs):
            ip("netns", "add", name)
            ip("-n", name, "link", "set", "lo", "up")
        ip("-n", made.mine, "link", "add", "here", "type", "veth", "peer", "name", "there", "netns", made.theirs)
        ip("-n", made.theirs, "link", "set", "there", "address", MAC)
        for name, device, address in ((made.mine, "here", "10.77.1.1/29"), (made.theirs, "there", "10.77.1.2/29")):
            ip("-n", name, "address", "add", address, "dev", device, "broadcast", "+")
            ip("-n", name, "link", "set", device, "up")
        yield made
    finally:
        for name in (made.mine, made.theirs):
            with contextlib.suppress(subprocess.CalledProcessError):
                ip("netns", "delete", name)


def test_a_sweep_of_a_real_ethernet(wire: Pair, tmp_path: Path) -> None:
    command = [program("ip"), "netns", "exec", wire.theirs, sys.executable, "-c", NODE]
    node = subprocess.Popen(command, cwd=ROOT, env=environment(), stdout=subprocess.PIPE)
    try:
        assert node.stdout is not None
        assert node.stdout.readline() == b"ready\n"
        result = wire.run("sweep")
    finally:
        node.kill()
        node.wait(5)
    assert result["troubles"] == []
    [device] = result["found"]
    assert device["address"] == "10.77.1.2"
    assert {"artnet", "echo", "neighbour"} <= set(device["methods"])
    assert MAC in device["facts"]["macs"], "the MAC that ARP tells, beside the one that the node tells"


def test_it_answers_arp_and_echo_but_not_on_its_service(wire: Pair) -> None:
    [first, *_] = wire.reasons()
    assert "10.77.1.2 is there (ICMP echo, the neighbour table) but not on its service, port 8480" in first


def test_nobody_at_the_address(wire: Pair) -> None:
    [first, *_] = wire.reasons("10.77.1.3")
    assert "gave no answer on port 8480" in first


def test_no_link_on_this_computers_interface(wire: Pair) -> None:
    ip("-n", wire.theirs, "link", "set", "there", "down")
    assert wire.reasons()[0] == "There is no link on this computer's interface here."


def test_two_interfaces_claim_the_network(wire: Pair) -> None:
    wire.mine_do("link", "add", "other", "type", "veth", "peer", "name", "end")
    wire.mine_do("address", "add", "10.77.1.4/29", "dev", "other")
    for name in ("other", "end"):
        wire.mine_do("link", "set", name, "up")
    assert any("Two interfaces of this computer claim 10.77.1.0/29: here and other" in one for one in wire.reasons())


def test_no_address_in_that_subnet(wire: Pair) -> None:
    wire.mine_do("address", "flush", "dev", "here")
    wire.mine_do("address", "add", "10.77.9.1/24", "dev", "here")
    assert wire.reasons()[0].startswith("This computer has no address in 10.77.1.0/29; it has")


def test_no_such_interface(wire: Pair) -> None:
    wire.mine_do("link", "set", "here", "down")
    wire.mine_do("link", "set", "here", "name", "elsewhere")
    wire.mine_do("link", "set", "elsewhere", "up")
    assert wire.reasons()[0].startswith("This computer has no interface here with an address")
