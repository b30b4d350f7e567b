"""A data folder of the first release comes along whole: every value of before is found after."""

from __future__ import annotations

import gzip
import json
import os
import shutil
import sqlite3
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from django.db import connection
from django.db.migrations.loader import MigrationLoader
from django.db.migrations.recorder import MigrationRecorder

from netloom_server.care.upgrade import too_new
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


def schema(ask: Callable[[str], list[tuple[Any, ...]]]) -> dict[str, Any]:
    """Tables with their columns and what they refer to, indexes with theirs, triggers: nothing of their order."""
    held: dict[str, Any] = {}
    for kind, name, table in ask("select type, name, tbl_name from sqlite_master"):
        if kind == "table":
            held[name] = {row[1:] for row in ask(f"pragma table_info({name})")}
            held[f"{name} refers to"] = {row[2:] for row in ask(f"pragma foreign_key_list({name})")}
            unique = [row[1] for row in ask(f"pragma index_list({name})") if row[2]]
            held[f"{name} once"] = {tuple(row[2] for row in ask(f"pragma index_info({one})")) for one in unique}
        elif not name.startswith("sqlite_autoindex"):
            held[name] = kind, table, [row[2] for row in ask(f"pragma index_info({name})")]
    return held


def test_a_folder_that_came_step_by_step_is_as_one_that_was_made_at_once(folder: Path, db: None) -> None:
    def here(question: str) -> list[tuple[Any, ...]]:
        with connection.cursor() as cursor:
            return cursor.execute(question).fetchall()

    with sqlite3.connect(folder / "netloom.sqlite3") as came:
        assert schema(lambda question: came.execute(question).fetchall()) == schema(here)
    assert any(row[0].startswith("0001_squashed") for row in here("select name from django_migrations"))
    with sqlite3.connect(folder / "netloom.sqlite3") as came:
        applied = {row[0] for row in came.execute("select name from django_migrations where app = 'installation'")}
    assert "0021_joined" in applied


def test_a_folder_of_any_version_in_between_has_a_way_to_this_one(db: None, monkeypatch: pytest.MonkeyPatch) -> None:
    """Whatever of an app was taken, the rest comes in an order that goes."""
    whole = MigrationLoader(connection, replace_migrations=False)
    steps = [step for leaf in whole.graph.leaf_nodes() for step in whole.graph.forwards_plan(leaf)]
    order = [step for step in dict.fromkeys(steps) if not whole.disk_migrations[step].replaces]
    assert len(order) > 40
    for count in range(len(order)):
        taken = {step: whole.disk_migrations[step] for step in order[:count]}
        monkeypatch.setattr(MigrationRecorder, "applied_migrations", lambda self, taken=taken: taken)
        loader = MigrationLoader(connection)
        way = [step for leaf in loader.graph.leaf_nodes() for step in loader.graph.forwards_plan(leaf)]
        loader.check_consistent_history(connection)
        for step in set(order[count:]) - set(way):
            assert any(step in loader.disk_migrations[one].replaces for one in way), f"{step} is left out"


def test_what_a_newer_one_took_is_seen_in_each_of_our_apps(folder: Path, tmp_path: Path, db: None) -> None:
    """Also in those that came last."""
    for app in ("installation", "routing", "firmware"):
        spoilt = tmp_path / app
        spoilt.mkdir()
        shutil.copy(folder / "netloom.sqlite3", spoilt)
        with sqlite3.connect(spoilt / "netloom.sqlite3") as newer:
            newer.execute("insert into django_migrations values (null, ?, '0999_later', '2030-01-01')", [app])
        trouble = too_new(spoilt)
        assert trouble is not None
        assert f"{app}.0999_later" in trouble.message
    assert too_new(folder) is None
