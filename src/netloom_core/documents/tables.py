"""Tables that go out to spreadsheets: CSV (RFC 4180) and XLSX, every cell a text. Pure.

A serial number keeps its zeros so, an address stays one, and a cell that a spreadsheet would take for a formula begins
with an apostrophe.
"""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterable, Sequence

FORMULA = ("=", "+", "-", "@", "\t", "\r")
_NUMBER = re.compile(r"[+-]?\d+(?:\.\d+)?")

Rows = Iterable[Sequence[str]]


def _guarded(cell: str) -> str:
    return f"'{cell}" if cell.startswith(FORMULA) and not _NUMBER.fullmatch(cell) else cell


def plain(cell: str) -> str:
    """What a cell says that came back."""
    return cell[1:] if cell[:1] == "'" and cell[1:].startswith(FORMULA) else cell


def _plain(rows: Rows) -> Iterable[list[str]]:
    for row in rows:
        yield [_guarded(cell) for cell in row]


def as_csv(rows: Rows) -> str:
    out = io.StringIO()
    csv.writer(out).writerows(_plain(rows))
    return out.getvalue()


def as_xlsx(title: str, rows: Rows) -> bytes:
    """One sheet. What a cell cannot hold in that form (control characters, ECMA-376) is left out."""
    from openpyxl import Workbook  # loaded only when somebody asks: a tenth of a server's start
    from openpyxl.cell.cell import ILLEGAL_CHARACTERS_RE

    book = Workbook(write_only=True)
    sheet = book.create_sheet(title)
    for row in _plain(rows):
        sheet.append([ILLEGAL_CHARACTERS_RE.sub("", cell) for cell in row])
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()
