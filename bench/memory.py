"""Memory of the server with 2,000 devices on record, and the time of its device list against the plain query."""

from __future__ import annotations

import contextlib
import json
import os
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from bench.field import ROOT, told

COUNT = 2000
LIMIT_MB = 200
ROUNDS = 5

SEED = """
import os, sys, django
from pathlib import Path
django.setup()
from django.core.management import call_command
call_command("migrate", verbosity=0)
from netloom_core.documents.tree import put
from netloom_core.profiles.defaults import default_document
from netloom_core.library.load import Library
from netloom_server.backups.models import Document
from netloom_server.installation.models import Device, Installation, Line, Unit
profile = Library.read(Path(sys.argv[1])).need("hallvane-rx8")
Installation.objects.create(name="Bench")
def line(n):
    return Line.objects.create(name=f"Net {n}", kind="ip", network=f"127.{40 + n}.0.0/22", source=f"127.{40 + n}.0.1")
number = int(sys.argv[3])
lines = [line(n) for n in range(number)]
devices, units = [], []
for n in range(int(sys.argv[2])):
    document = default_document(profile)
    put(document, "/name", f"box-{n}")
    name = Document.keep(document)
    place = n // number
    units.append(Unit(
        maker=profile.maker, model=profile.model, serial=f"HV-{n:05}", identity_key=f"hallvane|hv-{n:05}",
        running=name, startup=name,
    ))
    devices.append(Device(
        name=f"Box {n}", profile=profile.id, unit=units[-1], line=lines[n % number],
        address=f"127.{40 + n % number}.{place // 250}.{place % 250 + 2}", taken_in=True, status="known",
        intended={"name": f"box-{n}"},
    ))
Unit.objects.bulk_create(units)
Device.objects.bulk_create(devices)
"""


def resident_mb(pid: int) -> float:
    for line in Path(f"/proc/{pid}/status").read_text().splitlines():
        if line.startswith("VmRSS:"):
            return int(line.split()[1]) / 1024
    raise RuntimeError("no VmRSS")


def plain_query(database: Path) -> float:
    """The columns that the list shows, fetched and written as JSON, nothing else."""
    import sqlite3

    with sqlite3.connect(database) as db:
        db.row_factory = sqlite3.Row
        begun = time.perf_counter()
        rows = db.execute(
            "select d.*, l.name as line_name from installation_device d join installation_line l on l.id = d.line_id"
        ).fetchall()
        json.dumps([dict(row) for row in rows])
        return time.perf_counter() - begun


@contextlib.contextmanager
def server_with_thousands(count: int = COUNT, lines: int = 4) -> Iterator[tuple[dict[str, Any], int, Path]]:
    """A server with so many devices on record: how to reach it, its process, its data folder."""
    with tempfile.TemporaryDirectory() as folder:
        environment = {
            **os.environ,
            "PYTHONPATH": str(ROOT / "src"),
            "NETLOOM_DATA": folder,
            "DJANGO_SETTINGS_MODULE": "netloom_server.config.settings",
        }
        seed = [sys.executable, "-c", SEED, str(ROOT / "profiles"), str(count), str(lines)]
        subprocess.run(seed, env=environment, check=True)
        words = [sys.executable, "-m", "netloom_server.main", "--data", folder, "--port", "0"]
        server = subprocess.Popen(words, env=environment, stdout=subprocess.DEVNULL)
        try:
            found = Path(folder) / "server.json"
            while not found.exists():
                time.sleep(0.1)
            yield json.loads(found.read_text()), server.pid, Path(folder)
        finally:
            server.terminate()
            server.wait(15)


def call(server: dict[str, Any], method: str, path: str, body: Any = None) -> Any:
    headers = {"Authorization": f"Bearer {server['token']}", "Content-Type": "application/json"}
    data = json.dumps(body).encode() if body is not None else None
    request = urllib.request.Request(server["url"] + path, data, headers, method=method)
    with urllib.request.urlopen(request, timeout=30) as answer:
        return json.load(answer)


def main() -> None:
    with server_with_thousands() as (server, pid, folder):
        times = []
        for _ in range(ROUNDS):
            begun = time.perf_counter()
            assert len(call(server, "GET", "/api/devices")["devices"]) == COUNT
            times.append(time.perf_counter() - begun)
        plain = min(plain_query(folder / "netloom.sqlite3") for _ in range(ROUNDS))
        megabytes = resident_mb(pid)
    told("list", min(times), plain, None, f"{COUNT} devices by the API, against the plain query")
    print(f"memory   {megabytes:.0f} MB (at most {LIMIT_MB})   with {COUNT} devices after {ROUNDS} lists")
