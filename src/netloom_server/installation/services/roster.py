"""The list of all devices, rendered once for each change and shared by all who ask.

The database notes which rows changed (see `triggers.py`); only those are rendered anew. What the
list is at some moment has a tag, so that who has it already is told just that.
"""

from __future__ import annotations

import gzip
import secrets
import threading

import orjson
from django.db import connection

from netloom_core.library.load import Library
from netloom_server.backups.models import Backup
from netloom_server.installation.models import Device, Line, Touched
from netloom_server.installation.services.logins import own_levels
from netloom_server.installation.services.present import device_as_dict
from netloom_server.installation.triggers import ALL

PACK_LEVEL = 1  # quick: it is packed anew for each change while somebody looks
TOUCHED = f"SELECT rev, device FROM {Touched._meta.db_table} WHERE rev > %s ORDER BY rev"  # noqa: S608 - our own table
AT_ONCE = 500  # ids in one query; SQLite bounds them


def _touched(since: int) -> list[tuple[int, str]]:
    """What was noted since, oldest first. Asked many times a second while nothing happens, so without the ORM."""
    with connection.cursor() as cursor:
        cursor.execute(TOUCHED, [since])
        return list(cursor.fetchall())


class Roster:
    def __init__(self, library: Library) -> None:
        self._library = library
        self._lock = threading.Lock()
        self._boot = secrets.token_hex(4)
        self._seen = -1
        self._rows: dict[str, tuple[tuple[str, str], bytes]] = {}  # by id: what it is sorted by, its JSON
        self._news: dict[str, bytes] = {}  # rows that changed and nobody was told of yet; empty for one that is gone
        self._plain: bytes | None = None
        self._packed: bytes | None = None

    def whole(self, *, packed: bool = False) -> tuple[str, bytes]:
        """The tag and the JSON of all devices, in the order of their names; `packed` by gzip."""
        with self._lock:
            self._refresh()
            if self._plain is None:
                rows = (data for _, data in sorted(self._rows.values()))
                self._plain = b'{"devices":[' + b",".join(rows) + b"]}"
                self._packed = None
            if packed and self._packed is None:
                self._packed = gzip.compress(self._plain, PACK_LEVEL, mtime=0)
            body = self._packed if packed else self._plain
            assert body is not None
            return f'W/"{self._boot}-{self._seen}"', body

    def tag(self) -> str:
        with self._lock:
            self._refresh()
            return f'W/"{self._boot}-{self._seen}"'

    def news(self) -> list[tuple[str, bytes]]:
        """What changed since this was last asked: (id, row), an empty row for a device that is gone."""
        with self._lock:
            self._refresh()
            news, self._news = self._news, {}
            return list(news.items())

    def put_back(self, news: list[tuple[str, bytes]]) -> None:
        """These could not be told; newer ones of the same device stay."""
        with self._lock:
            self._news = {**dict(news), **self._news}

    def _refresh(self) -> None:
        first = self._seen < 0
        touched = _touched(self._seen)
        if not touched and not first:
            return
        idents = {device for _, device in touched}
        if first or ALL in idents:
            self._render(None)
        for start in range(0, len(ids := sorted(idents - {ALL})) if not first and ALL not in idents else 0, AT_ONCE):
            self._render(ids[start : start + AT_ONCE])
        self._seen = touched[-1][0] if touched else 0
        self._plain = None
        if first:
            self._news = {}

    def _render(self, idents: list[str] | None) -> None:
        """Render these devices, or all."""
        devices = Device.objects.select_related("line", "area").prefetch_related("fences").filter(line__archived=None)
        approved = Backup.objects.filter(baseline=True)
        if idents is not None:
            devices, approved = devices.filter(id__in=idents), approved.filter(device__in=idents)
        proofs = {ident for ident in approved.values_list("device_id", flat=True) if ident}
        coded = own_levels(idents)
        names = dict(Line.objects.values_list("id", "name"))
        gone = set(self._rows if idents is None else idents)
        for device in devices.iterator(chunk_size=AT_ONCE):
            data = orjson.dumps(device_as_dict(device, self._library, proofs, names, coded))
            gone.discard(device.id)
            if self._rows.get(device.id, ((), b""))[1] != data:
                self._rows[device.id] = ((device.name, device.id), data)
                self._news[device.id] = data
        for ident in gone:
            if self._rows.pop(ident, None) is not None:
                self._news[ident] = b""
