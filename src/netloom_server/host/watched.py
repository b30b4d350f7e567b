"""What the server tells of itself to whoever watches servers: alive, ready, and its measures."""

from __future__ import annotations

import resource
import shutil
import time
from pathlib import Path

from django.conf import settings
from django.db import DatabaseError, connection

from netloom_core.errors import NetloomError
from netloom_server.base.crossing import in_records, thread
from netloom_server.care import copies
from netloom_server.host.engine import engine
from netloom_server.installation.models import Device
from netloom_server.runs.models import LIVE, JournalEntry, Run
from netloom_server.runs.services import journal

BEGUN = time.monotonic()
PATIENCE_S = 3.0
USUAL_MS = 20_000  # as in the settings
LITTLE_ROOM = 50_000_000  # bytes


async def _nothing() -> None:
    """Is done when the engine's loop gets to it."""


def _one() -> None:
    with connection.cursor() as cursor:
        cursor.execute("SELECT 1")


def not_ready() -> list[str]:
    """Why it cannot do its work now, in words; empty when it can."""
    troubles = []
    try:
        with connection.cursor() as cursor:
            cursor.execute(f"PRAGMA busy_timeout = {int(PATIENCE_S * 1000)}")
            try:
                cursor.execute("BEGIN IMMEDIATE")
                cursor.execute("ROLLBACK")
            finally:
                cursor.execute(f"PRAGMA busy_timeout = {USUAL_MS}")
    except DatabaseError as error:
        troubles.append(f"The records cannot be written: {error}.")
    try:
        engine().call(_nothing(), PATIENCE_S)
    except NetloomError as error:
        troubles.append(f"The engine does not answer: {error.message}")
    try:
        engine().call(in_records(_one), PATIENCE_S)
    except NetloomError as error:
        troubles.append(f"The engine cannot use the records: {error.message}")
    if journal.head_trouble:
        troubles.append(journal.head_trouble)
    free = shutil.disk_usage(settings.DATA).free
    if free < LITTLE_ROOM:
        troubles.append(f"The disk of the data folder has {free // 1_000_000} MB left.")
    return troubles


def measures() -> dict[str, tuple[str, float]]:
    """By name: what it is, and the value now. Counts and sizes only; no name of anything is in it."""
    data = Path(settings.DATA)
    missing = Device.objects.filter(status="missing")
    newest = next(iter(copies.listed(data)), None)
    used = resource.getrusage(resource.RUSAGE_SELF)
    return {
        "netloom_up_seconds": ("Seconds since the server began", time.monotonic() - BEGUN),
        "netloom_devices": ("Devices on record", Device.objects.count()),
        "netloom_devices_missing": ("Devices that the last sweep missed", missing.count()),
        "netloom_runs_live": ("Runs under way", Run.objects.filter(state__in=LIVE).count()),
        "netloom_journal_entries": ("Entries of the journal", JournalEntry.objects.count()),
        "netloom_records_threads_given_up": ("Threads of the records that hung and were replaced", thread.given_up),
        "netloom_streams": ("Browsers that follow the events", engine().events.streams),
        "netloom_disk_free_bytes": ("Room on the disk of the data folder", shutil.disk_usage(data).free),
        "netloom_copy_age_seconds": (
            "Age of the newest safe copy; -1 where there is none",
            time.time() - newest.taken.timestamp() if newest else -1.0,
        ),
        "netloom_memory_peak_bytes": ("Most memory that the process ever had", used.ru_maxrss * 1024),
        "netloom_processor_seconds": ("Processor time used", used.ru_utime + used.ru_stime),
    }
