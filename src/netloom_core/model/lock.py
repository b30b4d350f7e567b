"""A lock on a crosspoint: what nobody changes from here until it is taken off, and why."""

from __future__ import annotations

from dataclasses import dataclass

FREE_IT = "Nothing of it was sent. Whoever locked it, or a lead, takes the lock off in the grid."


@dataclass(frozen=True)
class Lock:
    """On the item at `path`. Without a `state` it stays as it is; with one it is kept from coming there. `why` is in
    words, with who locked it."""

    path: str
    why: str
    state: str = ""

    def keeps_from(self, state: str) -> bool:
        return self.state in ("", state)
