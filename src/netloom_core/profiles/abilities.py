"""What can be done with a device by one of its channels. Planning asks for it, so that nothing is promised in vain."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from netloom_core.errors import CannotDo


class Ability(StrEnum):
    IDENTIFY = "identify"
    READ = "read"
    WRITE = "write"
    STORE = "store"
    RESTART = "restart"
    READDRESS = "readdress"  # takes a new place by a command of its own, at once
    STATES = "states"
    DRIVE = "drive"
    WATCH = "watch"  # tells changes by itself
    HINT = "hint"  # says by itself that something changed, which is looked at then
    LIST = "list"  # knows who is on the bus behind it
    SIGN_IN = "sign in"
    LOAD = "load firmware"
    RESUME = "go on with a file that was cut off"
    RECORD = "tell its event record"


@dataclass(frozen=True)
class Abilities:
    """`sets` are those of running and startup that the device can tell, `procedures` what it can be told to do. Its
    `own_port`, as on USB, is there only while it is: one that is missing is no trouble of an adapter. Of each set it
    tells at most so many `values`."""

    can: frozenset[Ability] = frozenset()
    sets: frozenset[str] = frozenset()
    procedures: frozenset[str] = frozenset()
    own_port: bool = False
    values: int = 0

    def __contains__(self, ability: Ability) -> bool:
        return ability in self.can

    def need(self, ability: Ability, name: str) -> None:
        if ability not in self.can:
            raise CannotDo(f"{name} has no way to {ability}.", "Nothing was sent to it.")
