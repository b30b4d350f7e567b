"""Safe copies: one from the future sends nobody away, and a folder that lost its database is not begun anew."""

from __future__ import annotations

import json
import sqlite3
from pathlib import Path

from netloom_server.care import copies
from netloom_server.care.folder import database_of


def a_database(data: Path, entries: int = 3) -> None:
    with sqlite3.connect(database_of(data)) as db:
        db.execute("CREATE TABLE runs_journalentry (id INTEGER PRIMARY KEY, hash TEXT)")
        db.executemany("INSERT INTO runs_journalentry VALUES (?, ?)", [(n, f"h{n}") for n in range(1, entries + 1)])


def test_a_copy_from_the_future_sends_no_other_away(tmp_path: Path) -> None:
    a_database(tmp_path)
    folder = tmp_path / copies.FOLDER
    folder.mkdir()
    days = [f"202611{day:02}T120000-daily.sqlite3" for day in range(1, copies.KEEP)]
    for name in (*days, "20360101T120000-daily.sqlite3"):
        (folder / name).touch()
    made = copies.make(tmp_path, "daily")
    assert made is not None
    assert {copy.name for copy in copies.listed(tmp_path)} >= {*days, made.name}
    assert copies.past(tmp_path)[0].name == made.name, "the next one is due a day after this"


def test_a_folder_that_lost_its_database_is_told_as_that(tmp_path: Path) -> None:
    assert copies.is_lost(tmp_path) == "", "a new one lost nothing"
    a_database(tmp_path)
    copies.make(tmp_path, "daily")
    (tmp_path / copies.HEAD).write_text("{}")
    assert copies.is_lost(tmp_path) == ""
    database_of(tmp_path).unlink()
    assert copies.is_lost(tmp_path) == "the head of its journal (journal.head) and 1 safe copy"


def test_what_is_put_back_has_its_own_head(tmp_path: Path) -> None:
    a_database(tmp_path)
    made = copies.make(tmp_path, "daily")
    assert made is not None
    (tmp_path / copies.HEAD).write_text(json.dumps({"entries": 9, "head": "h9"}))
    copies.put_back(tmp_path, made.name)
    assert json.loads((tmp_path / copies.HEAD).read_text()) == {"entries": 3, "head": "h3"}
    assert len(list(tmp_path.glob(f"{copies.HEAD}.before-*"))) == 1, "what it told is kept beside"
