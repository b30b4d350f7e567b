"""The launcher: data folders that are not its own, stamps, words."""

from __future__ import annotations

import fcntl
import os
import subprocess
import sys
from pathlib import Path

import pytest
from launcher.demo import MARK, _claim
from launcher.main import _start_words, default_data
from launcher.setup import SetupTrouble, apt_install, stamp_of

from tests.conftest import ROOT


def test_a_demo_never_touches_a_real_installation(tmp_path: Path) -> None:
    (tmp_path / "netloom.sqlite3").write_text("precious")
    for fresh in (False, True):
        with pytest.raises(SetupTrouble, match="real installation"):
            _claim(tmp_path, fresh=fresh)
    assert (tmp_path / "netloom.sqlite3").read_text() == "precious"


def test_fresh_forgets_an_earlier_demo_and_nothing_else(tmp_path: Path) -> None:
    data, beside = tmp_path / "demo", tmp_path / "beside"
    _claim(data, fresh=False)
    (data / "standins").mkdir()
    (data / "standins" / "memory.json").write_text("{}")
    beside.mkdir()
    (beside / "file").write_text("x")
    (data / "link").symlink_to(beside)
    _claim(data, fresh=False)
    assert (data / "standins").exists(), "a second start goes on"
    _claim(data, fresh=True)
    assert [file.name for file in data.iterdir()] == [MARK]
    assert (beside / "file").exists(), "a link is taken away, not what it leads to"


def test_fresh_is_refused_while_a_server_runs(tmp_path: Path) -> None:
    _claim(tmp_path, fresh=False)
    with (tmp_path / "server.lock").open("w") as held:
        fcntl.flock(held, fcntl.LOCK_EX)
        with pytest.raises(SetupTrouble, match="Stop it first"):
            _claim(tmp_path, fresh=True)


def test_serve_refuses_demo_data(tmp_path: Path) -> None:
    (tmp_path / MARK).touch()
    done = subprocess.run(
        [sys.executable, str(ROOT / "netloom"), "serve", "--port", "0", "--data", str(tmp_path)],
        capture_output=True, text=True, timeout=120, cwd=ROOT,
    )  # fmt: skip
    assert done.returncode == 1
    assert "demo data" in done.stderr


def test_stamps_tell_a_change(tmp_path: Path) -> None:
    one, two = tmp_path / "one", tmp_path / "two"
    one.write_text("a")
    two.write_text("b")
    before = stamp_of(one, two)
    assert stamp_of(one, two) == before
    two.write_text("c")
    assert stamp_of(one, two) != before


def test_what_cannot_be_installed_is_said_plainly(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(os, "geteuid", lambda: 1000)
    with pytest.raises(SetupTrouble, match="As root: apt-get install chromium"):
        apt_install("chromium", why="The browser")


def test_words_and_folders(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    monkeypatch.setenv("NETLOOM_DATA", str(tmp_path))
    assert default_data() == tmp_path
    monkeypatch.delenv("NETLOOM_DATA")
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    assert default_data() == tmp_path / "netloom"
    words = _start_words("demo", ["--port", "9000", "--fresh"])
    assert (words.port, words.fresh) == (9000, True)
    assert _start_words("serve", []).host == "127.0.0.1", "nobody else unless told otherwise"


def test_no_lock_file_names_a_registry() -> None:
    """Funding and licence links of packages are theirs; where to fetch from is this machine's affair."""
    for name in ("requirements.txt", "requirements-dev.txt"):
        assert "://" not in (ROOT / name).read_text(), name
    assert '"resolved"' not in (ROOT / "web/package-lock.json").read_text()
