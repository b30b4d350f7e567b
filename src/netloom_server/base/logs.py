"""The server's log: one JSON object a line, with the ids of the request and of the run that it is about.

It is kept in the data folder, in files of a bounded size; the oldest goes. What is written to it are
messages and places in the code, never values that somebody sent or a device told.
"""

from __future__ import annotations

import logging
import re
import sys
import time
from contextvars import ContextVar
from logging.handlers import RotatingFileHandler
from pathlib import Path

from pythonjsonlogger.json import JsonFormatter

from netloom_core.trace import RUN

FOLDER, NAME = "log", "netloom.jsonl"
MAX_BYTES, FILES = 5_000_000, 8
AGAIN_S = 600.0
REQUEST: ContextVar[str] = ContextVar("netloom_request", default="")
GIVEN = re.compile(r"[A-Za-z0-9-]{4,64}")  # ids of a proxy that are taken over


class Belonging(logging.Filter):
    """Puts the present request and run into each record."""

    def filter(self, record: logging.LogRecord) -> bool:
        record.request, record.run = REQUEST.get(), RUN.get()
        return True


class LogFile(RotatingFileHandler):
    """A full disk must not keep the server from working: it is told now and then, where the server was started."""

    def __init__(self, path: Path) -> None:
        super().__init__(path, maxBytes=MAX_BYTES, backupCount=FILES - 1, encoding="utf-8", delay=True)
        self._told = -AGAIN_S  # long ago

    def handleError(self, record: logging.LogRecord) -> None:
        if time.monotonic() - self._told >= AGAIN_S:
            self._told = time.monotonic()
            print(f"The log {self.baseFilename} cannot be written: {sys.exc_info()[1]}.", file=sys.stderr, flush=True)


def keep_log(data: Path) -> LogFile:
    """From now on everything goes to the data folder's log, too. Raises OSError."""
    folder = data / FOLDER
    folder.mkdir(mode=0o700, exist_ok=True)
    handler = LogFile(folder / NAME)
    handler.addFilter(Belonging())
    names = {"asctime": "time", "levelname": "level", "name": "part"}
    handler.setFormatter(
        JsonFormatter("%(asctime)s %(levelname)s %(name)s %(message)s %(request)s %(run)s", rename_fields=names)
    )
    logging.getLogger().addHandler(handler)
    return handler
