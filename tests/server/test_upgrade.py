"""A data folder of the first release comes along whole: every value of before is found after."""

from __future__ import annotations

import gzip
import json
import os
import sqlite3
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import ROOT

MOVED = ("maker", "model", "serial", "firmware", "identity_key", "guess", "read", "read_trouble", "running", "startup")
JSON_MOVED = ("keys", "apart", "facts", "switch")


def rows(path: Path, question: str) -> list[dict[str, Any]]:
    with sqlite3.connect(path) as db:
        db.row_factory = sqlite3.Row
        return [dict(row) for row in db.execute(question)]


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Before (`old.sqlite3`) and after (`netloom.sqlite3`)."""
    made = tmp_path_factory.mktemp("old")
    dump = gzip.decompress((ROOT / "tests/server/data/first_release.sql.gz").read_bytes()).decode()
    for name in ("old.sqlite3", "netloom.sqlite3"):
        with sqlite3.connect(made / name) as db:
            db.executescript(dump)
    environment = {**os.environ, "NETLOOM_DATA": str(made), "PYTHONPATH": str(ROOT / "src")}
    environment["DJANGO_SETTINGS_MODULE"] = "netloom_server.config.settings"
    done = subprocess.run(
        [sys.executable, "-m", "django", "migrate", "-v", "0"], env=environment, capture_output=True, text=True
    )
    assert done.returncode == 0, done.stderr
    return made


def test_every_fact_of_a_device_is_its_units(folder: Path) -> None:
    before = rows(folder / "old.sqlite3", "select * from installation_device")
    joined = "select u.*, d.id as device from installation_device d join installation_unit u on d.unit_id = u.id"
    after = {row["device"]: row for row in rows(folder / "netloom.sqlite3", joined)}
    assert len(before) == 8
    for old in before:
        unit = after.get(old["id"])
        told = {name: old[name] for name in MOVED}
        if not any(told.values()) and not any(json.loads(old[name]) for name in JSON_MOVED):
            assert unit is None, "nothing is fitted where nothing was ever seen"
            continue
        assert {name: unit[name] for name in MOVED} == told
        assert {n: json.loads(unit[n]) for n in JSON_MOVED} == {n: json.loads(old[n]) for n in JSON_MOVED}


def test_what_belongs_to_the_place_stays_there(folder: Path) -> None:
    kept = (
        "id, name, profile, line_id, address, speed, taken_in, status, intended, version, area_id, seen, proof, counts"
    )
    question = f"select {kept} from installation_device order by id"
    assert rows(folder / "old.sqlite3", question) == rows(folder / "netloom.sqlite3", question)


@pytest.mark.parametrize(
    "table",
    ["backups_backup", "backups_document", "installation_sighting", "installation_credential", "installation_change",
     "runs_run", "runs_step", "accounts_user", "installation_line", "installation_area"],
)  # fmt: skip
def test_nothing_else_is_lost(folder: Path, table: str) -> None:
    before, after = (rows(folder / name, f"select * from {table}") for name in ("old.sqlite3", "netloom.sqlite3"))
    assert before == [{name: row[name] for name in before[0]} for row in after]


def test_the_journal_holds_and_can_still_not_be_changed(folder: Path) -> None:
    check = (
        "import django; django.setup()\n"
        "from netloom_server.runs.services import journal\n"
        "from netloom_core.model.work import JournalEntry\n"
        "assert journal.broken_at() is None\n"
        "assert journal.open_intents() == [], 'intents of old are settled'\n"
        "journal.append(JournalEntry('intent', 'r', 'd', 'l', 'a', 'write', 't', 'i'))\n"
        "assert journal.broken_at() is None\n"
    )
    environment = {**os.environ, "NETLOOM_DATA": str(folder), "PYTHONPATH": str(ROOT / "src")}
    environment["DJANGO_SETTINGS_MODULE"] = "netloom_server.config.settings"
    done = subprocess.run([sys.executable, "-c", check], env=environment, capture_output=True, text=True)
    assert done.returncode == 0, done.stderr
    with sqlite3.connect(folder / "netloom.sqlite3") as db, pytest.raises(sqlite3.DatabaseError, match="append-only"):
        db.execute("update runs_journalentry set entry = '{}'")
