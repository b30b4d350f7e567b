"""Proof and archives: every kind of difference, and any flipped bit."""

import copy
import hashlib
import io
import zipfile
from dataclasses import replace
from pathlib import Path
from typing import Any

import bagit
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from netloom_core.backup import archive as archives
from netloom_core.backup.archive import Archive, ArchivedBackup, read_archive, write_archive
from netloom_core.backup.verify import Evidence, Proof, losses, summary, verify
from netloom_core.documents.tree import digest, put, remove
from netloom_core.errors import ArchiveDamaged, RequestError
from netloom_core.library.load import Library
from netloom_core.run.journal import GENESIS, chained, first_break
from netloom_core.testing.devices import MemoryDevice
from netloom_core.testing.rig import device


@pytest.fixture
def box(library: Library) -> MemoryDevice:
    return device(library.need("hallvane-rx8"))


def proof(
    box: MemoryDevice, baseline: Any, running: Any, startup: Any, *, lost: Any = None, trouble: str = ""
) -> Proof:
    return verify(Evidence("Box", box.profile, baseline, running, startup, lost or {}), trouble=trouble)


def changed(document: dict, path: str, value: object) -> dict:
    copied = copy.deepcopy(document)
    put(copied, path, value)
    return copied


def test_match(box: MemoryDevice) -> None:
    assert proof(box, box.running, box.running, box.startup).result == "match"


def test_drift_names_path_and_both_values(box: MemoryDevice) -> None:
    now = changed(box.running, "/relays/4/idle", "closed")
    found = proof(box, box.running, now, now)
    assert found.result == "drift"
    assert found.differences == [{"path": "/relays/4/idle", "baseline": "open", "running": "closed", "kind": "drift"}]


def test_what_nobody_approved_is_unproven_not_drift(box: MemoryDevice) -> None:
    """A new firmware shows a path that the record never had."""
    baseline = copy.deepcopy(box.running)
    remove(baseline, "/name")
    found = proof(box, baseline, changed(box.running, "/name", "x"), changed(box.running, "/name", "x"))
    assert (found.result, found.differences[0]["kind"]) == ("unproven", "unproven")


@pytest.mark.parametrize("approved", [True, False])
def test_what_could_not_be_read_is_unproven_with_the_reason(box: MemoryDevice, approved: bool) -> None:
    """Also where the approved record was made without it: nothing was shown of it then, nor now."""
    now = copy.deepcopy(box.running)
    remove(now, "/name")
    whole = Evidence("Box", box.profile, box.running if approved else now, now, now, {}, {"/name": "it tells '?'"})
    found = verify(whole)
    assert found.result == "unproven"
    assert [(one["path"], one["kind"], one["why"]) for one in found.differences] == [
        ("/name", "unproven", "it tells '?'")
    ]


def test_a_value_lost_at_a_power_cut_stays_lost_whatever_else_changes(box: MemoryDevice) -> None:
    idle = "/relays/4/idle"
    approved = changed(box.running, idle, "closed")
    lost = losses((approved, box.running), (box.running, box.running), {})
    assert lost == {idle: {"was": "closed", "now": "open"}}
    assert [d["kind"] for d in proof(box, approved, box.running, box.running, lost=lost).differences] == ["lost"]
    later = changed(box.running, "/name", "renamed")
    lost = losses((box.running, box.running), (later, later), lost)
    kinds = {d["path"]: d["kind"] for d in proof(box, approved, later, later, lost=lost).differences}
    assert kinds == {idle: "lost", "/name": "drift"}
    assert losses((later, later), (approved, approved), lost) == {}, "written again, it is not lost any more"


def test_a_value_that_waited_for_its_restart_took_nothing_back(box: MemoryDevice) -> None:
    """An address that was decided, staged and stored: the former one is not lost when the new one works."""
    path = "/network/address"
    staged = changed(box.running, path, "127.20.10.99")
    assert losses((box.running, staged), (staged, staged), {}, {"network": {"address": "127.20.10.99"}}) == {}
    assert path in losses((box.running, staged), (staged, staged), {}), "nobody decided that"
    lost = {path: {"was": "127.20.10.11", "now": "127.20.10.99"}}
    assert losses((staged, staged), (staged, staged), lost, {"network": {"address": "127.20.10.99"}}) == {}


def test_unkept_and_unproven(box: MemoryDevice) -> None:
    now = changed(box.running, "/relays/4/idle", "closed")
    assert proof(box, now, now, box.running).result == "unkept"
    unreadable = copy.deepcopy(box.running)
    remove(unreadable, "/name")
    assert proof(box, box.running, unreadable, unreadable).result == "unproven"


def test_no_baseline_and_unreachable(box: MemoryDevice) -> None:
    assert proof(box, None, box.running, box.startup).result == "no-baseline"
    gone = proof(box, box.running, box.running, box.startup, trouble="It does not answer.")
    assert (gone.result, gone.message) == ("unreachable", "It does not answer.")
    assert summary(["match", "drift", "match"])["match"] == 2


# Archives


def an_archive() -> Archive:
    documents = [{"a": 1}, {"a": 2, "b": {"c": "é"}}]
    named = {digest(document): document for document in documents}
    first, second = named
    backup = ArchivedBackup("b1", "d1", "Box", "Hallvane", "RX8", "HV-1", "hallvane-rx8", "2.4", "Net", "127.20.10.11",
                            "2026-11-25T00:00:00+00:00", "owner", True, "", first, second)  # fmt: skip
    return Archive("Skerry Point", [backup], named)


@pytest.fixture
def data(tmp_path: Path) -> bytes:
    write_archive(tmp_path / "a.zip", an_archive())
    assert list(tmp_path.iterdir()) == [tmp_path / "a.zip"], "no part is left behind"
    return (tmp_path / "a.zip").read_bytes()


def test_there_and_back(data: bytes) -> None:
    assert read_archive(data) == an_archive()


@pytest.mark.parametrize("taken", ["1970-01-01T00:00:07+00:00", "2038-11-25T00:00:00+00:00"])
def test_what_was_kept_while_the_clock_was_wrong_is_not_lost(tmp_path: Path, taken: str) -> None:
    archive = an_archive()
    archive.backups = [replace(archive.backups[0], taken=taken)]
    write_archive(tmp_path / "a.zip", archive)
    assert read_archive((tmp_path / "a.zip").read_bytes()) == archive


def test_it_is_a_plain_bag_in_a_plain_zip(data: bytes) -> None:
    names = zipfile.ZipFile(io.BytesIO(data)).namelist()
    assert {"bagit.txt", "manifest-sha256.txt", "tagmanifest-sha256.txt", "data/manifest.json"} <= set(names)


def test_another_reader_of_bags_finds_it_whole(data: bytes, tmp_path: Path) -> None:
    zipfile.ZipFile(io.BytesIO(data)).extractall(tmp_path / "bag")
    bag = bagit.Bag(str(tmp_path / "bag"))
    bag.validate()
    assert bag.info["Source-Organization"] == "Skerry Point"


def test_a_bag_of_another_writer_is_read(data: bytes, tmp_path: Path) -> None:
    zipfile.ZipFile(io.BytesIO(data)).extractall(tmp_path / "all")
    bag = tmp_path / "all/data"
    bagit.make_bag(str(bag), {"Source-Organization": "Skerry Point"}, checksums=["sha256"])
    files = [file for file in sorted(bag.rglob("*")) if file.is_file()]
    made = archives.sealed(lambda out: [out.write(file, file.relative_to(bag)) for file in files] and None)
    assert read_archive(made) == an_archive()


def test_any_flipped_bit_is_found(data: bytes) -> None:
    for where in range(len(data)):
        bad = bytearray(data)
        bad[where] ^= 1 << where % 8
        with pytest.raises(ArchiveDamaged):
            read_archive(bytes(bad))


@settings(max_examples=60, deadline=None)
@given(st.binary(max_size=400))
def test_any_bytes_are_refused(junk: bytes) -> None:
    with pytest.raises(ArchiveDamaged):
        read_archive(junk)


def resealed(data: bytes, change) -> bytes:  # type: ignore[no-untyped-def]
    """A hostile archive: other contents under a seal that fits."""
    source, buffer = zipfile.ZipFile(io.BytesIO(data)), io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as out:
        change({name: source.read(name) for name in source.namelist()}, out)
        out.comment = archives.SEAL + b"0" * 64
    body = buffer.getvalue()[: -archives.SEAL_BYTES]
    return body + archives.SEAL + hashlib.sha256(body).hexdigest().encode()


def test_a_path_that_leads_out_is_refused(data: bytes, tmp_path: Path) -> None:
    def climb(files: dict[str, bytes], out: zipfile.ZipFile) -> None:
        for name, content in files.items():
            out.writestr(name, content)
        out.writestr("../../escaped.txt", b"x")

    with pytest.raises(ArchiveDamaged, match="outside"):
        read_archive(resealed(data, climb))


@pytest.mark.parametrize(
    ("change", "told"),
    [
        (lambda files: files | {"data/more.txt": b"x"}, "no manifest names"),
        (lambda files: files | {"tagmanifest-sha256.txt": b"nonsense\n"}, "a line that is none"),
        (lambda files: {name: files[name] for name in files if name != "bag-info.txt"}, "has no bag-info.txt"),
        (lambda files: {name: files[name] for name in files if name != "data/manifest.json"}, "no data/manifest.json"),
        (lambda files: files | {"manifest-sha256.txt": files["manifest-sha256.txt"] * 2}, "not what its manifest says"),
        (lambda files: files | {"manifest-sha256.txt": b"\xff\xfe"}, "not what its manifest says"),
    ],
)
def test_a_bag_that_does_not_hold_is_refused(data: bytes, change: Any, told: str) -> None:
    def write(files: dict[str, bytes], out: zipfile.ZipFile) -> None:
        for name, content in change(files).items():
            out.writestr(name, content)

    with pytest.raises(ArchiveDamaged, match=told):
        read_archive(resealed(data, write))


def test_what_could_not_be_read_again_is_not_written(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(archives, "MAX_FILES", archives.TAGS + 1)
    with pytest.raises(RequestError, match="more than one archive may hold"):
        write_archive(tmp_path / "a.zip", an_archive())
    monkeypatch.undo()
    monkeypatch.setattr(archives, "MAX_ARCHIVE", 12)
    with pytest.raises(RequestError, match="more than one archive may hold"):
        write_archive(tmp_path / "a.zip", an_archive())
    assert not list(tmp_path.iterdir())


def test_two_files_of_one_name_are_refused(data: bytes) -> None:
    def twice(files: dict[str, bytes], out: zipfile.ZipFile) -> None:
        for name, content in [*files.items(), *files.items()]:
            out.writestr(name, content)

    with pytest.raises(ArchiveDamaged, match="two files of one name"), pytest.warns(UserWarning, match="Duplicate"):
        read_archive(resealed(data, twice))


def test_a_changed_document_under_a_good_seal_is_found_by_the_bag(data: bytes) -> None:
    def forge(files: dict[str, bytes], out: zipfile.ZipFile) -> None:
        for name, content in files.items():
            out.writestr(name, content.replace(b'"a":1', b'"a":9'))

    with pytest.raises(ArchiveDamaged):
        read_archive(resealed(data, forge))


def test_what_unpacks_to_too_much_is_refused(data: bytes, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(archives, "MAX_ARCHIVE", len(data) + 10)

    def bomb(files: dict[str, bytes], out: zipfile.ZipFile) -> None:
        out.writestr("data/big", bytes(50_000), zipfile.ZIP_DEFLATED)

    with pytest.raises(ArchiveDamaged, match="unpack to more"):
        read_archive(resealed(data, bomb))


# The journal's chain


def test_the_chain_breaks_where_an_entry_was_changed() -> None:
    entries, previous = [], GENESIS
    for number in range(5):
        entry = {"n": number}
        previous = chained(previous, entry)
        entries.append((entry, previous))
    assert first_break(entries) is None
    entries[3][0]["n"] = 7
    assert first_break(entries) == 3
    assert first_break(entries[:2] + entries[4:]) == 2
