"""Tables for people."""

from __future__ import annotations

import sys
from collections.abc import Iterable, Sequence
from typing import Any

from rich.console import Console
from rich.table import Table

PIPE_WIDTH = 200  # columns where the output is no terminal: nothing is cut or wrapped there
console = Console(width=None if sys.stdout.isatty() else PIPE_WIDTH)


def table(columns: Sequence[str], rows: Iterable[Sequence[Any]]) -> None:
    shown = Table(box=None, pad_edge=False, header_style="bold", padding=(0, 2, 0, 0))
    for column in columns:
        shown.add_column(column, overflow="fold")
    for row in rows:
        shown.add_row(*("" if cell is None else str(cell) for cell in row))
    console.print(shown)


def where(device: dict[str, Any]) -> str:
    return ", ".join(
        f"{place['address']}{' · ' + str(place['speed']) + ' baud' if place.get('speed') else ''} @ {place['line']}"
        for place in device["addresses"]
    )


def value(content: Any) -> str:
    return "–" if content is None else str(content)


def changes(items: Iterable[dict[str, Any]]) -> list[str]:
    return [f"{item['path']}: {value(item['from'])} → {value(item['to'])}" for item in items]
