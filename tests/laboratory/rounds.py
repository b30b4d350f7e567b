"""Rounds of random pulls, moves and clones, each with a sweep after it, held against what is really on the wire."""

from __future__ import annotations

import random
from typing import Any

from tests.laboratory.conftest import mac
from tests.laboratory.wire import Desk, Wire

METHODS = ["neighbour", "connect", "http", "echo", "snmp"]
HOSTS = 12
PLAIN = 0.2  # of the rounds as a user without the right to send ARP


class Rounds:
    def __init__(self, wire: Wire, desk: Desk, dice: random.Random) -> None:
        self._wire, self._desk, self._dice = wire, desk, dice
        self._pulled: set[int] = set()
        self._at = {n: f"10.77.0.{20 + n}" for n in range(HOSTS)}
        self._records = [{"device": f"d{n}", "key": f"mac:{mac(n)}", "address": self._at[n]} for n in range(HOSTS)]
        wire.many([(f"h{n}", mac(n), self._at[n]) for n in range(HOSTS)])

    def one(self) -> list[str]:
        """Change something, sweep, and say what the sweep says that is not so."""
        for _ in range(self._dice.randrange(1, 4)):
            self._dice.choice((self._pull, self._plug, self._move, self._clone))()
        plain = self._dice.random() < PLAIN
        result = self._desk.sweep(known=self._records, methods=METHODS, plain=plain)
        return self._wrong(result, plain)

    def _pull(self) -> None:
        number = self._dice.randrange(HOSTS)
        self._wire.pull(f"h{number}")
        self._pulled.add(number)

    def _plug(self) -> None:
        if self._pulled:
            number = self._dice.choice(sorted(self._pulled))
            self._wire.plug(f"h{number}")
            self._pulled.discard(number)

    def _move(self) -> None:
        number = self._dice.randrange(HOSTS)
        self._to(number, f"10.77.0.{self._dice.randrange(100, 200)}")

    def _clone(self) -> None:
        """One takes the address of another, which may still be there."""
        number, other = self._dice.sample(range(HOSTS), 2)
        self._to(number, self._at[other])

    def _to(self, number: int, address: str) -> None:
        self._wire.readdress(f"h{number}", address)
        self._at[number] = address

    def _wrong(self, result: dict[str, Any], plain: bool) -> list[str]:
        wrong = []
        there = {n for n in range(HOSTS) if n not in self._pulled}
        crowded = {at for at in self._at.values() if sum(self._at[n] == at for n in there) > 1}
        for found in result["found"]:
            if not found["device"] or found["status"] == "by-ipv6":
                continue
            number = int(found["device"][1:])
            if number not in there:
                wrong.append(f"{found['device']} is {found['status']}, and its cable is pulled")
            elif found["address"] != self._at[number]:
                wrong.append(f"{found['device']} is at {self._at[number]}, not at {found['address']}")
        seen = {found["device"] for found in result["found"]}
        # Without ARP of our own the system goes on asking the one before for as long as it believes in it.
        for number in there if not plain else ():
            if f"d{number}" not in seen and self._at[number] not in crowded:
                wrong.append(f"d{number} is at {self._at[number]} and was not found")
        return wrong
