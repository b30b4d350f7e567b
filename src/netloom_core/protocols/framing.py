"""How characters stand on a serial line: data bits, parity, stop bits, flow control."""

from __future__ import annotations

import re
from dataclasses import dataclass

CRACKLE = 4  # bytes at the most that two drivers leave between two frames, switched off and on; more are somebody's
FLOWS = ("none", "hardware", "software")
_WORD = re.compile(r"([5-8])([NEO])([12])")


@dataclass(frozen=True)
class Framing:
    bits: int = 8
    parity: str = "N"
    stop: int = 1
    flow: str = "none"

    @classmethod
    def of(cls, word: str, flow: str = "none") -> Framing:
        """From `7E1`; a parity alone is that with eight bits and one stop bit. Raises ValueError."""
        found = _WORD.fullmatch(word if len(word) == 3 else f"8{word}1")
        if found is None or flow not in FLOWS:
            raise ValueError(f"{word!r} with {flow!r} is no framing")
        return cls(int(found[1]), found[2], int(found[3]), flow)

    def __str__(self) -> str:
        flow = "" if self.flow == "none" else f", {self.flow} flow control"
        return f"{self.bits}{self.parity}{self.stop}{flow}"
