"""Papers: what is in them, how they are made beside, kept and handed out, and what is said when one cannot be."""

from __future__ import annotations

import asyncio
import csv
import hashlib
import io
import zipfile
from pathlib import Path

import pytest
from django.conf import settings
from rest_framework.test import APIClient

from netloom_core.backup.archive import read_archive
from netloom_core.errors import RequestError
from netloom_core.library.load import Library
from netloom_core.testing.store import MemoryEvents
from netloom_server.backups.models import Backup, Document
from netloom_server.host import workshop
from netloom_server.host.workshop import Workshop
from netloom_server.installation.models import Device
from netloom_server.installation.services.expected import rows_of
from netloom_server.papers.kinds import archive, schedule
from netloom_server.papers.kinds.report import pieces
from netloom_server.papers.models import Paper
from netloom_server.papers.services import papers
from tests.server.conftest import named


@pytest.fixture
def folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setattr(settings, "DATA", tmp_path)
    (tmp_path / papers.FOLDER).mkdir()
    return tmp_path / papers.FOLDER


def made(paper: Paper, data: bytes) -> None:
    papers.file_of(paper).write_bytes(data)
    papers.settle(paper, papers.Made(len(data), hashlib.sha256(data).hexdigest()))


def test_the_report_is_made_of_the_records(site: None, library: Library) -> None:
    page = "".join(pieces(library))
    assert "Skerry Point Ferry Terminal" in page
    assert "/relays/3/pulse_ms" in page
    assert "HV-40117" in page
    assert page.count("<h2>Ticket hall box</h2>") == 1


def test_the_report_shows_what_differs_and_no_secret(site: None, library: Library) -> None:
    device = named("Ticket hall box")
    running = {"name": "<b>now</b>", "relays": {"1": {"pulse_ms": 700}}, "access": {"password": "secret:abc"}}
    approved = {"name": "then", "relays": {"1": {"pulse_ms": 700}}}
    device.unit.running = Document.keep(running)
    device.unit.save()
    Backup.objects.create(
        device=device, name=device.name, profile=device.profile, taken="2026-05-01T10:00Z", by="nova", baseline=True,
        running_id=Document.keep(approved),
    )  # fmt: skip
    page = "".join(pieces(library))
    section = page[page.index("<h2>Ticket hall box</h2>") :].split("</section>")[0]
    assert "&lt;b&gt;now&lt;/b&gt;" in section
    assert "<b>now</b>" not in page
    assert "1 value differs from the approved record." in section
    assert "Approved 2026-05-01 10:00 UTC by nova" in section
    assert section.count('class="differs"') == 1
    assert "secret:abc" not in page


def test_the_address_schedule_is_read_again_as_a_list_of_devices(site: None, library: Library, tmp_path: Path) -> None:
    schedule.make(tmp_path / "made.zip", library)
    with zipfile.ZipFile(tmp_path / "made.zip") as made:
        assert sorted(made.namelist()) == ["addresses.csv", "addresses.xlsx", "dhcpd.conf", "dnsmasq.conf", "hosts"]
        table = list(csv.reader(io.StringIO(made.read("addresses.csv").decode(), newline="")))
        hosts = made.read("hosts").decode()
    rows = rows_of(table, library)
    assert [row.values["name"] for row in rows if row.problem] == []
    taken_in = Device.objects.filter(taken_in=True)
    assert {row.device for row in rows} == set(taken_in.values_list("id", flat=True)), "each is the one that is there"
    assert f"{named('Ticket hall box').address}\tticket-hall-box" in hosts


def test_one_asks_again_and_gets_the_one_that_is_being_made(technician: APIClient, folder: Path) -> None:
    first = technician.post("/api/papers", {"kind": "report"}, format="json")
    assert (first.status_code, first.json()["state"]) == (202, "making")
    assert technician.post("/api/papers", {"kind": "report"}, format="json").json()["id"] == first.json()["id"]
    assert technician.post("/api/papers", {"kind": "novel"}, format="json").status_code == 400
    early = technician.get(f"/api/papers/{first.json()['id']}/file")
    assert (early.status_code, early.json()["error"]["code"]) == (409, "conflict")


def test_a_paper_is_handed_out_as_it_was_made(viewer: APIClient, folder: Path) -> None:
    paper = papers.ask("archive", "nova")
    made(paper, b"PK whole")
    answer = viewer.get(f"/api/papers/{paper.id}/file")
    assert b"".join(answer.streaming_content) == b"PK whole"
    assert f'filename="{papers.name_of(paper)}"' in answer["Content-Disposition"]
    assert answer["Content-Disposition"].startswith("attachment")
    shown = viewer.get(f"/api/papers/{paper.id}").json()
    assert (shown["state"], shown["bytes"], shown["since"]) == ("ready", 8, 0)
    papers.file_of(paper).unlink()
    assert viewer.get(f"/api/papers/{paper.id}/file").status_code == 404


def test_older_ones_go(site: None, folder: Path) -> None:
    first = papers.ask("report", "nova")
    made(first, b"first")
    for _ in range(papers.KEPT):
        made(papers.ask("report", "nova"), b"later")
    made(papers.ask("archive", "nova"), b"another kind")
    assert not Paper.objects.filter(id=first.id).exists()
    assert len(list(folder.iterdir())) == papers.KEPT + 1


def test_a_report_cannot_run_scripts(viewer: APIClient, folder: Path) -> None:
    paper = papers.ask("report", "nova")
    made(paper, b"<html>")
    answer = viewer.get(f"/api/papers/{paper.id}/file")
    assert "default-src 'none'" in answer["Content-Security-Policy"]


async def one_made(events: MemoryEvents) -> dict[str, object]:
    shop = Workshop(events)
    task = asyncio.ensure_future(shop.run())
    try:
        async with asyncio.timeout(60):
            while not (told := [data for kind, data in events.told if kind == "paper"]):
                await asyncio.sleep(0.05)
        return told[0]
    finally:
        task.cancel()
        await asyncio.gather(task, return_exceptions=True)


async def test_a_worker_that_breaks_is_told_and_the_next_is_made(
    lasting: None, folder: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The worker's own database is an empty one here, so it breaks."""
    paper = await asyncio.to_thread(papers.ask, "report", "nova")
    monkeypatch.setenv("NETLOOM_DATA", str(folder.parent))
    told = await one_made(MemoryEvents())
    assert (told["id"], told["state"]) == (str(paper.id), "failed")
    assert "log" in str(told["message"])


async def test_a_worker_that_never_ends_is_ended(lasting: None, folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    await asyncio.to_thread(papers.ask, "archive", "nova")
    monkeypatch.setattr(workshop, "LONGEST_S", 0.05)
    told = await one_made(MemoryEvents())
    assert told["state"] == "failed"
    assert "was not made within" in str(told["message"])


def test_what_was_cut_off_in_the_middle_is_taken_away(folder: Path) -> None:
    (folder / ".7.html.99.part").write_bytes(b"half")
    (folder / "6.html").write_bytes(b"whole")
    papers.forget_parts()
    assert [one.name for one in folder.iterdir()] == ["6.html"]


def test_an_archive_is_made_of_all_backups(site: None, folder: Path, library: Library) -> None:
    Backup.objects.all().delete()
    with pytest.raises(RequestError, match="no backup"):
        archive.make(folder / "none.zip", library)
    device = named("Ticket hall box")
    Backup.objects.create(
        device=device, name=device.name, profile=device.profile, taken="2026-05-01T10:00Z", by="nova",
        running_id=Document.keep({"name": "x"}),
    )  # fmt: skip
    archive.make(folder / "all.zip", library)
    data = (folder / "all.zip").read_bytes()
    assert [backup.name for backup in read_archive(data).backups] == ["Ticket hall box"]
    assert zipfile.ZipFile(io.BytesIO(data)).testzip() is None
