"""Tables for people."""

from __future__ import annotations

import functools
import sys
from collections.abc import Iterable, Sequence
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    import rich.console

PIPE_WIDTH = 200  # columns where the output is no terminal: nothing is cut or wrapped there


@functools.cache
def _console() -> rich.console.Console:
    from rich.console import Console  # loaded only when something is shown to people

    return Console(width=None if sys.stdout.isatty() else PIPE_WIDTH)


def say(text: str) -> None:
    _console().print(text, markup=False, highlight=False)


def table(columns: Sequence[str], rows: Iterable[Sequence[Any]]) -> None:
    from rich.table import Table

    shown = Table(box=None, pad_edge=False, header_style="bold", padding=(0, 2, 0, 0))
    for column in columns:
        shown.add_column(column, overflow="fold")
    for row in rows:
        shown.add_row(*("" if cell is None else str(cell) for cell in row))
    _console().print(shown, markup=False)


def where(device: dict[str, Any]) -> str:
    return ", ".join(
        f"{place['address']}{' · ' + str(place['speed']) + ' baud' if place.get('speed') else ''} @ {place['line']}"
        for place in device["addresses"]
    )


def value(content: Any) -> str:
    return "–" if content is None else str(content)


def changes(items: Iterable[dict[str, Any]]) -> list[str]:
    return [f"{item['path']}: {value(item['from'])} → {value(item['to'])}" for item in items]
