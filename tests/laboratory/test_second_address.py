"""A second address of this computer reaches a unit in another subnet, and is gone afterwards, after a crash, too."""

from __future__ import annotations

import json
import subprocess
import sys
import time
from collections.abc import Iterator
from typing import Any

import pytest

from tests.laboratory.test_servers import as_root, mac
from tests.laboratory.wire import Wire, environment, within
from tests.patience import SOON_S
from tests.peers.conftest import peer_environment, program

LASTS = 3


@pytest.fixture
def unit(wire: Wire) -> str:
    """As it came from its factory: in a subnet of its own, where somebody else is, too."""
    wire.host("unit", mac(5), "192.168.1.200")
    wire.host("other", mac(6), "192.168.1.254")
    return "192.168.1.200"


@pytest.fixture
def borrowed(wire: Wire, unit: str) -> Iterator[subprocess.Popen[str]]:
    process = borrower(wire, unit)
    yield process
    process.kill()
    process.communicate(timeout=SOON_S)


def borrower(wire: Wire, near: str) -> subprocess.Popen[str]:
    words = (sys.executable, "-m", "tests.laboratory.borrower", near, str(LASTS))
    return within(wire.desk, *words, stdin=subprocess.PIPE, stdout=subprocess.PIPE)


def told(process: subprocess.Popen[str]) -> dict[str, Any]:
    assert process.stdout is not None
    said: dict[str, Any] = json.loads(process.stdout.readline())
    return said


def addresses(wire: Wire) -> list[str]:
    words = [program("ip"), "-n", wire.desk, "-j", "-4", "address", "show", "dev", "eth0"]
    shown = subprocess.run(words, capture_output=True, env=peer_environment(), check=True).stdout
    return [one["local"] for link in json.loads(shown or "[]") for one in link.get("addr_info", [])]


def reaches(wire: Wire, source: str, unit: str) -> bool:
    """Whether the unit's host answers at all: it refuses a connection, where nobody would keep silent."""
    asks = (
        "import socket, sys; s = socket.socket(); s.settimeout(4); s.bind((sys.argv[1], 0)); "
        "print(s.connect_ex((sys.argv[2], 9)))"
    )
    words = [program("ip"), "netns", "exec", wire.desk, sys.executable, "-c", asks, source, unit]
    done = subprocess.run(words, capture_output=True, text=True, env=environment(), timeout=30, check=True)
    return done.stdout.strip() == "111"  # ECONNREFUSED


def until_gone(wire: Wire, address: str) -> None:
    for _ in range(100):
        if address not in addresses(wire):
            return
        time.sleep(0.2)
    raise AssertionError(f"{address} is left on the interface")


@as_root
def test_it_is_free_reaches_the_unit_and_is_given_back(wire: Wire, unit: str, borrowed: subprocess.Popen[str]) -> None:
    assert not reaches(wire, "10.77.0.1", unit), "from the line's own address nobody there is heard"
    made = told(borrowed)
    assert made["address"] == "192.168.1.253", "the one before is somebody's"
    assert addresses(wire) == ["10.77.0.1", "192.168.1.253"]
    assert reaches(wire, made["address"], unit)
    time.sleep(LASTS + 1)
    assert made["address"] in addresses(wire), "it is renewed as long as it is needed"
    assert borrowed.stdin is not None
    borrowed.stdin.write("\n")
    borrowed.stdin.flush()
    until_gone(wire, made["address"])


@as_root
def test_after_a_crash_the_system_takes_it_away(wire: Wire, unit: str, borrowed: subprocess.Popen[str]) -> None:
    made = told(borrowed)
    borrowed.kill()
    borrowed.wait(10)
    assert made["address"] in addresses(wire)
    until_gone(wire, made["address"])


@as_root
@pytest.mark.parametrize(
    ("near", "words"),
    [
        ("10.77.0.9", "is in the network of 10.77.0.9 already"),
        ("8.8.8.8", "public Internet"),
        ("nonsense", "is no address"),
    ],
)
def test_where_none_is_needed_or_none_may_be_nothing_is_changed(wire: Wire, near: str, words: str) -> None:
    process = borrower(wire, near)
    try:
        assert words in told(process)["refused"]
    finally:
        process.communicate(timeout=SOON_S)
    assert addresses(wire) == ["10.77.0.1"]
