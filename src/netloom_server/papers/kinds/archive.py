"""All backups as one archive (netloom_core/backup/archive.py has its form)."""

from __future__ import annotations

from pathlib import Path

from netloom_core.backup.archive import write_archive
from netloom_core.errors import RequestError
from netloom_core.library.load import Library
from netloom_server.backups.models import Backup
from netloom_server.backups.services.backups import to_archive
from netloom_server.papers.kinds.base import Kind


def make(path: Path, library: Library) -> None:
    backups = list(Backup.objects.order_by("number", "id"))
    if not backups:
        raise RequestError("There is no backup to export yet.", "Back up first.")
    write_archive(path, to_archive(backups))


KIND = Kind("Archive of all backups", make, ".zip", "application/zip", "netloom-backups")
