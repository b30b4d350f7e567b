"""Cells of lists that people hand in: pasted text, CSV, XLSX.

They are untrusted: all is bounded, no formula is reckoned, nothing in them is followed.
"""

from __future__ import annotations

import csv
import io
import zipfile
import zlib

from netloom_core.errors import RequestError

MAX_BYTES = 4_000_000
MAX_UNPACKED = 60_000_000  # of an XLSX, which is a zip
MAX_PARTS = 500
MAX_ROWS = 5000
MAX_COLUMNS = 30
WIDE = 500  # columns of a sheet of settings
MAX_CELL = 200
MOST_TAGS = 2_000_000  # of a whole workbook; a list of 5,000 rows has a tenth of that
PIECE = 1 << 18


def table_of(data: bytes, name: str, columns: int = MAX_COLUMNS) -> list[list[str]]:
    """Cells of a pasted text, a CSV or an XLSX file. Raises RequestError when it is none."""
    if len(data) > MAX_BYTES:
        raise RequestError(f"The list is larger than {MAX_BYTES // 1_000_000} MB.", "Split it.")
    if data[:4] == b"PK\x03\x04" or name.lower().endswith(".xlsx"):
        return _from_xlsx(data, columns)
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        text = data.decode("cp1252", "replace")
    first = text.splitlines()[0] if text.strip() else ""
    delimiter = max("\t;,", key=first.count)
    try:
        rows = csv.reader(io.StringIO(text), delimiter=delimiter)
        return [
            [cell.strip()[:MAX_CELL] for cell in row[:columns]]
            for row, _ in zip(rows, range(MAX_ROWS + 2), strict=False)
        ]
    except csv.Error as error:
        raise RequestError(f"The list cannot be read as a table: {error}.", "Save it as CSV in UTF-8.") from error


def _too_large() -> RequestError:
    return RequestError("The workbook is too large when unpacked.", "Save the sheet alone, or as CSV.")


def _tags_in(packed: zipfile.ZipFile, parts: list[zipfile.ZipInfo]) -> int:
    """How many tags there are to be understood; each costs time and memory, whatever it is called."""
    tags = 0
    for part in parts:
        with packed.open(part) as inner:
            while (piece := inner.read(PIECE)) and tags <= MOST_TAGS:
                tags += piece.count(b"<")
    return tags


def _from_xlsx(data: bytes, columns: int) -> list[list[str]]:
    from openpyxl import load_workbook  # loaded only when somebody hands one in
    from openpyxl.utils.exceptions import InvalidFileException

    try:
        with zipfile.ZipFile(io.BytesIO(data)) as packed:
            parts = packed.infolist()
            if len(parts) > MAX_PARTS or sum(part.file_size for part in parts) > MAX_UNPACKED:
                raise _too_large()
            if _tags_in(packed, parts) > MOST_TAGS:
                raise _too_large()
        book = load_workbook(io.BytesIO(data), read_only=True, data_only=True, keep_links=False)
        sheet = book.worksheets[0]
        rows = sheet.iter_rows(max_row=MAX_ROWS + 2, max_col=columns, values_only=True)
        return [["" if cell is None else str(cell).strip()[:MAX_CELL] for cell in row] for row in rows]
    except (
        zipfile.BadZipFile,
        InvalidFileException,
        KeyError,
        ValueError,
        IndexError,
        OSError,
        SyntaxError,
        TypeError,
        AttributeError,
        RuntimeError,
        NotImplementedError,
        EOFError,
        zlib.error,
    ) as error:
        raise RequestError("That is not an XLSX workbook that can be read.", "Save it again, or as CSV.") from error
