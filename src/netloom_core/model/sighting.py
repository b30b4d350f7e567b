"""Pieces of evidence from a sweep."""

from __future__ import annotations

from dataclasses import dataclass, field


@dataclass(frozen=True)
class Sighting:
    """Something answered: where, by which method, with which facts.

    Facts are short strings by name: `maker`, `model`, `serial`, `firmware`, `mac`,
    `host`, `ports`, `speed`, `vendor`, `factory` (`yes` while it has its factory set-up),
    `garbled` (bytes came, but no frame). `time` is Unix time in seconds.
    """

    line: str
    address: str
    method: str
    time: float
    facts: dict[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Reason:
    """Why a device was not seen, from a test that was made, and what to try."""

    reason: str
    hint: str

    def as_dict(self) -> dict[str, str]:
        return {"reason": self.reason, "try": self.hint}
