"""What a kind of paper is."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from netloom_core.library.load import Library


@dataclass(frozen=True)
class Kind:
    """`make` writes the file and raises NetloomError where it cannot be made; it runs in a process of its own."""

    title: str
    make: Callable[[Path, Library], None]
    suffix: str
    media: str
    stem: str  # the name of the file that is handed out begins with it
    inline: bool = False  # a browser shows it instead of saving it
