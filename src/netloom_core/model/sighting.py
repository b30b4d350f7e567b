"""Pieces of evidence from a sweep."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any


@dataclass(frozen=True)
class Sighting:
    """Something answered: where, by which method, with which facts.

    Facts are short strings by name. Those that name a device: `maker` with `serial`, `mac`
    and `macs`, `uuid`, `rdm_uid`, `usb_serial`, `host`. Others: `model`, `firmware`,
    `ports`, `speed`, `parity`, `vendor`, `title`, `factory` (`yes` while it has its factory
    set-up), `garbled` (bytes came, but no frame), `mode` (a firmware mode of its profile),
    `switch` and `switch_port` (where a switch sees its MAC), `outside` (it answers on the
    line's wire with an address outside of its network). `time` is Unix time in seconds.
    """

    line: str
    address: str
    method: str
    time: float
    facts: dict[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Reason:
    """Why a device was not seen, from a test that was made, and what to try.

    `test` says in words what was done to know it. `weight` ranks, larger is likelier.
    `offer` is something Netloom can do about it, for the interface to show as a button:
    `{"action": "set", "device", "path", "value"}`, `{"action": "sweep", "line"}`.
    """

    reason: str
    hint: str
    test: str = ""
    weight: int = 50
    offer: dict[str, Any] | None = None

    def as_dict(self) -> dict[str, Any]:
        return {"reason": self.reason, "try": self.hint, "test": self.test, "offer": self.offer}
