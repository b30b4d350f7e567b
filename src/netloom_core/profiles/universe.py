"""How a model hangs on DMX universes (ANSI E1.11): as a fixture that listens, as a node that sends."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from netloom_core.model.universe import LAST_SLOT
from netloom_core.types.base import Part

Slots = Annotated[int, Field(ge=1, le=LAST_SLOT)]


class Listens(Part):
    """A fixture: it takes the slots from its start address on.

    `start` is the item with that address, `personality` the one that decides how many slots it takes; `slots` how many,
    in all or by the personality's value. Where they are left out, the unit tells them (E1.20 DEVICE_INFO).
    """

    start: str
    personality: str = ""
    slots: Slots | dict[str, Slots] = {}

    def taken(self, personality: object = "") -> int:
        """How many slots it takes with that personality; 0 where the profile does not say."""
        return self.slots if isinstance(self.slots, int) else self.slots.get(str(personality), 0)

    def start_goes_first(self, start: object, personality: object) -> bool:
        """Whether the new personality would reach beyond the last slot from the start address of now, so that a unit
        refuses it. Then the new address always has room for the old one, since old and new each fit as a whole."""
        return isinstance(start, int) and start + self.taken(personality) - 1 > LAST_SLOT


class Sends(Part):
    """A node: `universe` is the item, one for each port, with the low part of what that port sends; `net` and `subnet`
    are the high parts, which its ports share (Art-Net 4, Port-Address)."""

    universe: str
    net: str = ""
    subnet: str = ""
