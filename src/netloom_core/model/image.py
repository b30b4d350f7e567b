"""A firmware file as those need it who send it: its size, its digest, and its bytes from where they are kept."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any


@dataclass(frozen=True)
class Image:
    """`read(offset, size)` gives so many bytes from there; the whole is never in memory. `digest` is SHA-256 in hex."""

    ident: str
    name: str
    size: int
    digest: str
    profile: str
    version: str
    read: Callable[[int, int], bytes] = field(repr=False)
    code: str = ""
    hardware: tuple[str, ...] = ()
    refused: str = ""

    def chunks(self, size: int) -> Any:
        for offset in range(0, self.size, size):
            yield self.read(offset, min(size, self.size - offset))
