"""Sweeps of an Ethernet of namespaces: a sparse network, hostile services, and rounds of pulls, moves and clones.

Prints how long a sweep of a sparse /24 and /22 takes against the longest method's own time, what twelve hostile
services add, and in how many of the rounds the sweep said something that was not so.
"""

from __future__ import annotations

import random
import sys
import tempfile
from pathlib import Path

from tests.laboratory.conftest import mac
from tests.laboratory.rounds import Rounds
from tests.laboratory.test_wire import HOSTILE
from tests.laboratory.wire import Desk, Wire, allowed

ROUNDS = 200
HOSTS = 40


def sparse(prefix: int) -> None:
    wire = Wire(prefix)
    try:
        places = sorted(random.Random(prefix).sample(range(2, 2 ** (32 - prefix) - 2), HOSTS))
        wire.many([(f"h{n}", mac(n), f"10.77.{place >> 8}.{place & 255}") for n, place in enumerate(places)])
        services = ({"kind": "agent"}, {"kind": "page", "port": 80, "title": "A page"})
        wire.crowd({f"h{n}": [dict(services[n % 2])] for n in range(HOSTS)}, Path(tempfile.mkdtemp()))
        for plain in (False, True):
            result = Desk(wire).sweep(plain=plain)
            told = [found for found in result["found"] if {"page", "snmp"} & set(found["methods"])]
            longest = max(name["seconds"] for key, name in result["methods"].items() if key == "sacn")
            how = "by the system's questions" if plain else "by ARP"
            ratio = result["seconds"] / longest
            print(
                f"sparse   /{prefix} {how}: {len(told)} of {HOSTS} in {result['seconds']:.1f} s, {ratio:.2f} of sACN's"
            )
    finally:
        wire.close()


def hostile() -> None:
    wire = Wire()
    try:
        wire.host("good", mac(1), "10.77.0.10")
        wire.host("bad", mac(2), "10.77.0.11")
        folder = Path(tempfile.mkdtemp())
        wire.crowd({"good": [{"kind": "page", "port": 80, "title": "Good"}]}, folder)
        desk = Desk(wire)
        before = desk.sweep(without=["sacn"])["seconds"]
        wire.crowd({"bad": [dict(one) for one in HOSTILE]}, folder)
        after = desk.sweep(without=["sacn"])["seconds"]
        print(f"hostile  twelve services: {before:.1f} s before, {after:.1f} s with them (without sACN's ten seconds)")
    finally:
        wire.close()


def rounds(count: int) -> None:
    wire = Wire()
    wrong = 0
    try:
        made = Rounds(wire, Desk(wire), random.Random(2026))
        for number in range(count):
            for sentence in made.one():
                wrong += 1
                print(f"rounds   {number}: {sentence}")
                sys.stdout.flush()
    finally:
        wire.close()
    print(f"rounds   {count} with random pulls, moves and clones: {wrong} sentences that were not so")


def main() -> None:
    if not allowed():
        print("laboratory: this system allows no network namespaces")
        return
    sparse(24)
    sparse(22)
    hostile()
    rounds(ROUNDS)
