"""One server for one data folder."""

from __future__ import annotations

import fcntl
import os
from pathlib import Path
from typing import IO


class DataInUse(Exception):
    """Another server has the folder; its process id is the argument."""


class FolderLock:
    def __init__(self, folder: Path) -> None:
        self._path = folder / "server.lock"
        self._file: IO[str] | None = None

    def take(self) -> None:
        """Held until the process ends, however it ends."""
        file = self._path.open("a+")
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            file.seek(0)
            holder = file.read().strip() or "unknown"
            file.close()
            raise DataInUse(holder) from None
        file.truncate(0)
        file.write(str(os.getpid()))
        file.flush()
        self._file = file

    def release(self) -> None:
        if self._file is not None:
            self._file.close()
            self._file = None
