"""What comes from strangers: requests and files that are no good are refused in the API's own form, soon."""

from __future__ import annotations

import io
import json
import resource
import struct
import tempfile
import time
import zipfile
from pathlib import Path
from typing import Any

import bagit
import pytest
from django.test import Client
from openpyxl import Workbook
from rest_framework.test import APIClient

from netloom_core.backup import archive as archives
from netloom_core.backup.archive import Archive, ArchivedBackup, write_archive
from netloom_core.documents.tree import digest
from netloom_server.backups.models import Backup
from netloom_server.base.forms import MAX_BYTES
from netloom_server.base.uploads import BodyLimit
from netloom_server.installation.models import Device

LIST_S = 6.0  # of processor time, twice what a list may take


def told(answer: Any) -> dict[str, str]:
    """The error of an answer that is one, in the one form."""
    error: dict[str, str] = json.loads(answer.content)["error"]
    assert set(error) == {"code", "message", "try"}
    assert error["message"], "it says what happened"
    return error


@pytest.mark.parametrize(
    "header", ["Bearer \xff\xfe", "Bearer \u0411", "Bearer", "Basic abc", "Bearer " + "x" * 10_000], ids=range(5)
)
def test_no_header_of_a_stranger_breaks_it(db: None, client: Client, header: str) -> None:
    answer = client.get("/api/devices", headers={"Authorization": header})
    assert answer.status_code == 401
    told(answer)


@pytest.mark.parametrize(
    "data",
    [
        b"[" * 200_000, b'{"a":' * 5000 + b"1" + b"}" * 5000, b"", b"\x00", b"\xff\xfe", b'{"changes": NaN}', b"[1,2",
        b'"\\ud800"', b"[[[]]]", b"3", b"null", b'{"changes": {"a": 1}}', b'{"changes": [[]]}',
        b'{"changes": [{"device": ["x"], "path": {}, "value": 1}]}',
    ],
    ids=range(14),
)  # fmt: skip
def test_a_body_that_is_no_request_is_refused(technician: APIClient, data: bytes) -> None:
    answer = technician.post("/api/intended", data, content_type="application/json")
    assert answer.status_code == 400, answer.content
    told(answer)


@pytest.mark.parametrize("kind", ["multipart/form-data; boundary=x", "text/plain", "application/xml", "nonsense"])
def test_another_kind_of_body_is_refused(technician: APIClient, kind: str) -> None:
    for path in ("/api/intended", "/api/expected", "/api/runs"):
        answer = technician.post(path, b"x", content_type=kind)
        assert answer.status_code in (400, 415)
        told(answer)


def test_a_field_that_nobody_knows_is_told(technician: APIClient) -> None:
    line = technician.get("/api/lines").json()[0]["id"]
    users = [{"user": "reader", "auth_protocol": "sha1", "auth_pasword": "misspelt and long enough"}]
    answer = technician.put(f"/api/lines/{line}/access", {"communities": [], "users": users}, format="json")
    assert answer.status_code == 400
    assert "auth_pasword" in told(answer)["message"]


def test_what_is_not_there_is_told_in_the_same_form(technician: APIClient) -> None:
    for path in (
        "/api/nonsense",
        "/api/runs/x/y/z",
        "/api/devices/%00",
        "/api/runs/nobody",
        "/api/runs/x/steps?after=a",
    ):
        answer = technician.get(path)
        assert answer.status_code in (400, 404), path
        told(answer)


async def test_what_is_larger_than_it_may_be_is_refused_as_it_comes_in() -> None:
    """Neither a stated length nor an endless body gets further than its limit."""
    taken = 0

    async def application(scope: Any, receive: Any, send: Any) -> None:
        nonlocal taken
        while (message := await receive()).get("more_body"):
            taken += len(message["body"])

    async def endless() -> dict[str, Any]:
        return {"type": "http.request", "body": b"x" * 100_000, "more_body": True}

    limit = BodyLimit(application, {"/api/big": 3 * MAX_BYTES})
    for path, headers, most in (
        ("/api/x", [], MAX_BYTES),
        ("/api/x", [(b"content-length", b"99999999999")], 0),
        ("/api/big/x", [], 3 * MAX_BYTES),
    ):
        taken, sent = 0, []

        async def send(message: Any, sent: list[Any] = sent) -> None:
            sent.append(message)

        await limit({"type": "http", "path": path, "headers": headers}, endless, send)
        assert sent[0]["status"] == 413
        assert json.loads(sent[1]["body"])["error"]["code"] == "too-large"
        assert taken <= most


# Lists


def workbook(**parts: bytes) -> bytes:
    """A good workbook with some of its parts replaced."""
    book = Workbook()
    book.active.append(["name", "model"])
    book.active.append(["Box", "RX8"])
    data = io.BytesIO()
    book.save(data)
    out = io.BytesIO()
    with zipfile.ZipFile(data) as source, zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as target:
        for item in source.infolist():
            target.writestr(item.filename, parts.get(item.filename, source.read(item.filename)))
    return out.getvalue()


SHEET = "xl/worksheets/sheet1.xml"
HEAD = b'<worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetData>'
TAIL = b"</sheetData></worksheet>"
ENTITIES = (
    b'<!DOCTYPE x [<!ENTITY a "aaaaaaaaaa">' + b"".join(
        b'<!ENTITY %c "%s">' % (98 + n, b"&%c;" % (97 + n) * 10) for n in range(8)
    ) + b"]>"
)  # fmt: skip


def encrypted(data: bytes) -> bytes:
    """The zip's entries say that they are encrypted."""
    changed = bytearray(data)
    for signature, at in ((b"PK\x01\x02", 8), (b"PK\x03\x04", 6)):
        start = 0
        while (start := changed.find(signature, start)) >= 0:
            flags = struct.unpack_from("<H", changed, start + at)[0]
            struct.pack_into("<H", changed, start + at, flags | 1)
            start += 4
    return bytes(changed)


OTHER = HEAD.replace(b"xmlns=", b"xmlns:x=").replace(b"<", b"<x:")
# Made only by the test that takes it: some are large.
LISTS = {
    "cells by another prefix": lambda: workbook(**{SHEET: OTHER + b"<x:row>" + b"<x:c/>" * 8_000_000}),
    "fourteen million empty cells": lambda: workbook(
        **{SHEET: HEAD + b"<row>" + b"<c/>" * 14_000_000 + b"</row>" + TAIL}
    ),
    "a million empty rows": lambda: workbook(**{SHEET: HEAD + b"<row/>" * 2_000_000 + TAIL}),
    "unpacks to a gigabyte": lambda: workbook(**{SHEET: HEAD + b" " * 100_000_000 + TAIL}),
    "entities in entities": lambda: workbook(**{SHEET: ENTITIES + HEAD + b"<row><c><v>&i;</v></c></row>" + TAIL}),
    "no sheet": lambda: workbook(**{SHEET: b"<x/>"}),
    "no xml": lambda: workbook(**{SHEET: b"\xff\xfe\x00"}),
    "wrong types": lambda: workbook(**{SHEET: HEAD + b'<row r="x"><c r="-1" t="n"><v>x</v></c></row>' + TAIL}),
    "encrypted": lambda: encrypted(workbook()),
    "cut off": lambda: workbook()[:-200],
    "empty": lambda: b"",
    "one endless line": lambda: b"name," * 700_000,
    "one endless cell": lambda: b'name\n"' + b"x" * 3_900_000,
}


def worked() -> float:
    """Seconds of processor time, of readers that have ended, too: that a computer is busy takes none."""
    readers = resource.getrusage(resource.RUSAGE_CHILDREN)
    return time.process_time() + readers.ru_utime + readers.ru_stime


@pytest.mark.parametrize("name", LISTS)
def test_a_hostile_list_is_refused_soon_and_nothing_is_made_of_it(technician: APIClient, name: str) -> None:
    made = LISTS[name]()
    before, begun = Device.objects.count(), worked()
    answer = technician.generic(
        "POST", "/api/expected/list.xlsx?plan=1", made, content_type="application/octet-stream",
        headers={"Content-Disposition": "attachment; filename=list.xlsx"},
    )  # fmt: skip
    assert answer.status_code in (400, 413), answer.content[:300]
    told(answer)
    assert worked() - begun < LIST_S
    assert Device.objects.count() == before


@pytest.mark.parametrize("seed", range(8))
def test_a_spoiled_workbook_is_refused_or_read_and_never_a_fault(technician: APIClient, seed: int) -> None:
    import random

    chance = random.Random(seed)
    data = bytearray(workbook())
    for _ in range(chance.randint(1, 12)):
        data[chance.randrange(len(data))] = chance.randrange(256)
    answer = technician.generic(
        "POST", "/api/expected/list.xlsx", bytes(data), content_type="application/octet-stream",
        headers={"Content-Disposition": "attachment; filename=list.xlsx"},
    )  # fmt: skip
    assert answer.status_code in (200, 400), answer.content[:300]


# Archives


@pytest.fixture
def archive(tmp_path: Path) -> bytes:
    document = {"name": "x"}
    backup = ArchivedBackup("b1", "d1", "Box", "Hallvane", "RX8", "HV-1", "hallvane-rx8", "2.4", "Net", "127.20.10.11",
                            "2026-11-25T00:00:00+00:00", "owner", True, "", digest(document), "")  # fmt: skip
    write_archive(tmp_path / "a.zip", Archive("Site", [backup], {digest(document): document}))
    return (tmp_path / "a.zip").read_bytes()


def forged(data: bytes, **fields: Any) -> bytes:
    """A sealed archive whose manifests hold, with other fields in its one backup."""
    with tempfile.TemporaryDirectory() as name:
        folder, bag = Path(name), Path(name) / "bag"
        zipfile.ZipFile(io.BytesIO(data)).extractall(folder / "all")
        (folder / "all/data").rename(bag)
        manifest = json.loads((bag / "manifest.json").read_text())
        manifest["backups"][0] |= fields
        (bag / "manifest.json").write_text(json.dumps(manifest))
        bagit.make_bag(str(bag), {}, checksums=["sha256"])
        files = [file for file in sorted(bag.rglob("*")) if file.is_file()]
        return archives.sealed(lambda out: [out.write(file, file.relative_to(bag)) for file in files] and None)


FORGERIES: list[dict[str, Any]] = [
    {"id": ""}, {"id": ["a"]}, {"id": "../../x"}, {"id": 7}, {"taken": "9999-12-31T23:59:59+00:00"}, {"taken": "soon"},
    {"taken": "2026-11-25T00:00:00"}, {"baseline": "yes"}, {"name": "x" * 5000}, {"name": None}, {"running": "ab"},
    {"startup": {"a": 1}}, {"by": ["x"]}, {"more": 1},
]  # fmt: skip


@pytest.mark.parametrize("fields", FORGERIES, ids=json.dumps)
def test_a_forged_archive_is_refused_by_check_and_import_alike(
    lead: APIClient, archive: bytes, fields: dict[str, Any]
) -> None:
    before = Backup.objects.count()
    data = forged(archive, **fields)
    ends = []
    for what in ("check", "import"):
        answer = lead.generic(
            "POST", f"/api/backups/{what}/a.zip", data, content_type="application/octet-stream",
            headers={"Content-Disposition": "attachment; filename=a.zip"},
        )  # fmt: skip
        ends.append(answer.status_code)
        if answer.status_code != 200:
            told(answer)
    good = fields == {"more": 1}  # what is not known is not taken, either
    assert ends == ([200, 200] if good else [422, 422])
    assert Backup.objects.count() == before + good


def test_an_encrypted_or_empty_archive_is_refused(lead: APIClient, archive: bytes) -> None:
    for data in (encrypted(archive), b"", archive[:-1], b"PK\x03\x04"):
        answer = lead.generic(
            "POST", "/api/backups/import/a.zip", data, content_type="application/octet-stream",
            headers={"Content-Disposition": "attachment; filename=a.zip"},
        )  # fmt: skip
        assert answer.status_code in (400, 422)
        told(answer)
