"""An archive of 5,000 backups against writing a zip with the same files."""

from __future__ import annotations

import tempfile
import time
import zipfile
from pathlib import Path

from bench.field import ROOT, told
from netloom_core.backup.archive import Archive, ArchivedBackup, write_archive
from netloom_core.documents.tree import canonical, digest, put
from netloom_core.library.load import Library
from netloom_core.profiles.defaults import default_document

COUNT, ROUNDS, LIMIT = 5000, 3, 1.5


def made() -> Archive:
    profile = Library.read(ROOT / "profiles").need("hallvane-rx8")
    documents, backups = {}, []
    for n in range(COUNT):
        document = default_document(profile)
        put(document, "/name", f"box-{n}")
        name = digest(document)
        documents[name] = document
        backups.append(
            ArchivedBackup(
                f"b{n}", f"d{n}", f"Box {n}", profile.maker, profile.model, f"HV-{n:05}", profile.id, "1.0", "Net",
                "127.20.10.2", "2026-05-01T10:00:00+00:00", "bench", False, "", name, name,
            )
        )  # fmt: skip
    return Archive("Bench", backups, documents)


def plain(path: Path, archive: Archive) -> float:
    begun = time.perf_counter()
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as out:
        for name, document in archive.documents.items():
            out.writestr(f"data/documents/{name}.json", canonical(document))
    return time.perf_counter() - begun


def main() -> None:
    archive = made()
    ours, bare = [], []
    with tempfile.TemporaryDirectory() as folder:
        for _ in range(ROUNDS):
            bare.append(plain(Path(folder) / "plain.zip", archive))
            begun = time.perf_counter()
            write_archive(Path(folder) / "archive.zip", archive)
            ours.append(time.perf_counter() - begun)
    told("export", min(ours), min(bare), LIMIT, f"{COUNT} backups, against writing the same zip")
