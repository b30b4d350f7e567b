"""A library that is kept: the same as the one that is read, and never anything else."""

from __future__ import annotations

import os
import pickle
import shutil
from pathlib import Path

import pytest

from netloom_core.library import cache
from netloom_core.library.cache import read_kept
from netloom_core.library.load import Library
from tests.conftest import ROOT

KEY = b"a key of this folder"


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    there = tmp_path / "profiles"
    shutil.copytree(ROOT / "profiles", there)
    return there


def whole(library: Library) -> dict[str, object]:
    return {profile.id: profile.model_dump() for profile in (*library, *library.standards)}


class Reads:
    def __init__(self, monkeypatch: pytest.MonkeyPatch) -> None:
        self.count = 0
        real = Library.read

        def counted(folder: Path) -> Library:
            self.count += 1
            return real(folder)

        monkeypatch.setattr(cache.Library, "read", counted)


def test_what_is_kept_is_what_is_read(folder: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    reads, kept = Reads(monkeypatch), tmp_path / "cache/profiles"
    first, second = read_kept(folder, kept, KEY), read_kept(folder, kept, KEY)
    assert reads.count == 1
    assert whole(first) == whole(second) == whole(Library.read(folder))
    facts = {"vendor": "X", "osdp_inputs": "8", "osdp_outputs": "2"}
    for library in (first, second):
        assert library.best({"maker": "hallvane", "model": "RX8"}).id == "hallvane-rx8"  # type: ignore[union-attr]
        made = library.best(facts, ("osdp",))
        assert made is not None
        assert library.need(made.id) is made
    assert kept.stat().st_mode & 0o777 == 0o600
    assert [path.name for path in kept.parent.iterdir()] == ["profiles"]


def test_a_file_that_changed_is_read_anew(folder: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    reads, kept = Reads(monkeypatch), tmp_path / "profiles.kept"
    read_kept(folder, kept, KEY)
    path = folder / "hallvane/rx8.yaml"
    path.write_text(path.read_text().replace("kind: relay and input box", "kind: another box"))
    assert read_kept(folder, kept, KEY).need("hallvane-rx8").kind == "another box"
    path.unlink()
    assert read_kept(folder, kept, KEY).get("hallvane-rx8") is None
    assert reads.count == 3


class Evil:
    def __reduce__(self) -> tuple[object, tuple[str]]:
        return os.mkdir, (str(self.path),)

    def __init__(self, path: Path) -> None:
        self.path = path


def test_what_another_one_wrote_is_never_opened(folder: Path, tmp_path: Path) -> None:
    kept, sign = tmp_path / "kept", tmp_path / "opened"
    for data in (b"", b"x" * 10, bytes(32) + pickle.dumps(Evil(sign)), pickle.dumps(Evil(sign))):
        kept.write_bytes(data)
        assert read_kept(folder, kept, KEY).need("hallvane-rx8")
    good = kept.read_bytes()
    kept.write_bytes(good[:32] + pickle.dumps(Evil(sign)))
    assert read_kept(folder, kept, KEY).need("hallvane-rx8")
    assert not sign.exists()
    assert read_kept(folder, kept, b"another key").need("hallvane-rx8")


def test_where_nothing_can_be_kept_it_is_read(folder: Path, tmp_path: Path) -> None:
    (tmp_path / "file").write_text("no folder")
    assert read_kept(folder, tmp_path / "file/kept", KEY).need("hallvane-rx8")
