"""The library of firmware files: what comes in and what does not, what people say of files, devices against it."""

from __future__ import annotations

import io
import tarfile
import zipfile
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
from django.utils import timezone
from hypothesis import given, settings
from hypothesis import strategies as st
from rest_framework.test import APIClient

from netloom_core.library.files import recognised
from netloom_core.library.load import Library
from netloom_core.model.device import Identity
from netloom_core.model.work import RunState
from netloom_server.base.problems import NotFound
from netloom_server.firmware.models import FirmwareFile
from netloom_server.firmware.services import aside, files, standing
from netloom_server.installation.models import Device, Line, Unit
from netloom_server.installation.services.fitting import fit
from netloom_server.installation.services.readings import Reading, save_firmware, save_readings
from netloom_server.runs.kinds.base import Asked
from netloom_server.runs.kinds.planned import Restore
from netloom_server.runs.models import Run, Step
from netloom_server.runs.services.orders import orders_of
from netloom_standins.described.loading import FirmwareForm, made

XT1 = FirmwareForm(head="CRN1", code="CR-EXT1", hardware="B", pair=True)


@pytest.fixture(autouse=True)
def own_folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setattr(files, "folder", lambda: tmp_path / "firmware")
    return tmp_path / "firmware"


def ext1(version: str, **more: Any) -> bytes:
    return made(XT1, version, 3000, **more)


def add(who: APIClient, name: str, data: bytes, expect: int = 201) -> Any:
    answer = who.post(
        f"/api/firmware/import/{name}", data, content_type="application/octet-stream",
        HTTP_CONTENT_DISPOSITION="attachment; filename=upload.bin",
    )  # fmt: skip
    assert answer.status_code == expect, answer.content
    return answer.json()


def zipped(**members: bytes) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in members.items():
            archive.writestr(name.replace("__", "/"), data)
    return out.getvalue()


def test_a_file_is_known_by_what_is_inside_whatever_it_is_called(technician: APIClient, own_folder: Path) -> None:
    [one] = add(technician, "upload.tmp", ext1("1.13.0", revisions="A,B"))["added"]
    assert (one["profile"], one["version"], one["code"], one["hardware"]) == (
        "corrain-xt1",
        "1.13.0",
        "CR-EXT1",
        ["A", "B"],
    )
    assert (own_folder / one["digest"]).read_bytes() == ext1("1.13.0", revisions="A,B")
    again = add(technician, "ext1_1.13.0.crn", ext1("1.13.0", revisions="A,B"))
    assert again["added"] == []
    assert "kept already, as upload.tmp" in again["left"][0]["why"]


def test_what_fits_no_model_is_kept_and_said_so(technician: APIClient, library: Library) -> None:
    [one] = add(technician, "mystery.bin", bytes(5000))["added"]
    assert (one["profile"], one["version"]) == ("", "")
    strange = ext1("2.0", code="CR-EXT9")
    known = recognised("ext1_2.0.crn", strange, library)
    assert known.profile == ""
    assert "CR-EXT9" in known.why  # its name would fit, its code does not


def test_an_archive_is_unpacked_bounded_and_by_the_last_part_of_names(technician: APIClient, own_folder: Path) -> None:
    told = add(technician, "both.zip", zipped(**{
        "..__..__etc__ext1_1.13.0.crn": ext1("1.13.0"), "notes.txt": b"The link comes back.", "empty.bin": b"",
    }))  # fmt: skip
    [one] = told["added"]
    assert (one["name"], one["notes"]) == ("ext1_1.13.0.crn", "The link comes back.")
    assert told["left"] == [{"name": "empty.bin", "why": "it is empty"}]
    assert sorted(path.name for path in own_folder.iterdir()) == [one["digest"]]
    out = io.BytesIO()
    with tarfile.open(fileobj=out, mode="w:gz") as tar:
        link = tarfile.TarInfo("passwd")
        link.type, link.linkname = tarfile.SYMTYPE, "/etc/passwd"
        tar.addfile(link)
        data = ext1("1.14.0")
        inside = tarfile.TarInfo("/absolute/ext1_1.14.0.crn")
        inside.size = len(data)
        tar.addfile(inside, io.BytesIO(data))
    told = add(technician, "ext1.tar.gz", out.getvalue())
    assert [one["name"] for one in told["added"]] == ["ext1_1.14.0.crn"]
    assert told["left"] == [{"name": "passwd", "why": "it is a link or a device"}]


def test_hostile_archives_are_refused_and_leave_nothing(technician: APIClient, own_folder: Path) -> None:
    bomb = zipped(**{f"{n}.bin": bytes(40_000_000) for n in range(8)})
    assert "Unpacked it is larger than" in add(technician, "bomb.zip", bomb, 400)["error"]["message"]
    many = zipped(**{f"{n}.bin": b"x" for n in range(300)})
    assert "more than 200 files" in add(technician, "many.zip", many, 400)["error"]["message"]
    cut = zipped(**{"a.bin": ext1("1.13.0")})
    spoilt = cut[:60] + bytes(40) + cut[100:]
    assert "damaged" in add(technician, "cut.zip", spoilt, 400)["error"]["message"]
    for empty in (zipped(), zipped(**{"notes.txt": b"Nothing but words."})):
        assert "no firmware file in" in add(technician, "empty.zip", empty, 400)["error"]["message"]
    assert not own_folder.exists()
    assert FirmwareFile.objects.count() == 0


def test_viewers_look_and_do_not_add(viewer: APIClient, technician: APIClient) -> None:
    add(viewer, "x.crn", ext1("1.13.0"), 403)
    [one] = add(technician, "x.crn", ext1("1.13.0"))["added"]
    assert viewer.get("/api/firmware").json()["files"][0]["id"] == one["id"]
    assert viewer.patch(f"/api/firmware/{one['id']}", {"refused": "no"}, format="json").status_code == 403


@pytest.fixture
def kit(technician: APIClient, library: Library) -> Device:
    device = Device.objects.create(name="Sender", profile="corrain-xt1", taken_in=True, address="127.20.20.21")
    unit = Unit.objects.create(
        maker="Corrain", model="XT1 Kit", serial="CX-1", firmware="1.12.0", facts={"far_firmware": "1.12.0"}
    )
    fit(device, unit, by="eve")
    return device


def word(technician: APIClient, device: Device) -> tuple[str, str]:
    told = technician.get(f"/api/devices/{device.id}/firmware").json()
    return told["word"], told["current"]


def test_devices_are_held_against_the_library(technician: APIClient, kit: Device) -> None:
    assert word(technician, kit) == ("unknown", "")
    add(technician, "a.crn", ext1("1.12.0"))
    assert word(technician, kit) == ("current", "1.12.0")
    [new] = add(technician, "b.crn", ext1("1.13.0"))["added"]
    assert word(technician, kit) == ("behind", "1.13.0")
    technician.patch(f"/api/firmware/{new['id']}", {"refused": "It flickers."}, format="json")
    assert word(technician, kit) == ("current", "1.12.0")
    want = {"current": "1.10.0", "least": "1.12.5", "why": "the picture tears before"}
    assert technician.put("/api/firmware/models/corrain-xt1", want, format="json").status_code == 200
    assert word(technician, kit) == ("behind", "1.10.0")
    technician.put("/api/firmware/models/corrain-xt1", {"current": "1.10.0"}, format="json")
    assert word(technician, kit) == ("ahead", "1.10.0")
    Unit.objects.update(facts={"far_firmware": "1.11.0"})
    assert word(technician, kit) == ("mixed", "1.10.0")
    assert "The other half has 1.11.0" in technician.get(f"/api/devices/{kit.id}").json()["firmware_trouble"]
    Unit.objects.update(facts={"mode": "loader"})
    assert word(technician, kit)[0] == "no-application"
    assert "in its loader" in technician.get(f"/api/devices/{kit.id}").json()["firmware_trouble"]
    Unit.objects.update(facts={}, firmware="1.11.2")
    assert word(technician, kit)[0] == "refused"
    [row] = [one for one in technician.get("/api/firmware/devices").json()["devices"] if one["id"] == kit.id]
    assert "stays dark" in row["why"]


def test_a_version_that_nobody_knows_any_more_is_not_told(technician: APIClient, kit: Device, library: Library) -> None:
    """A file went over in part, and it does not answer: the version before is what it had."""
    add(technician, "b.crn", ext1("1.13.0"))
    now = timezone.now()
    save_readings([Reading(kit.id, {"running": {"name": "as it was"}}, None, now)], library)

    def told(identity: Identity | None, after: float) -> tuple[str, str, str]:
        save_firmware(kit.id, identity, now + timedelta(seconds=after), library)
        there = technician.get(f"/api/devices/{kit.id}").json()
        assert datetime.fromisoformat(there["read"]) == now, "none of its values was read by that"
        return there["firmware"], there["firmware_trouble"], word(technician, kit)[0]

    assert told(None, -10) == ("1.12.0", "", "behind"), "it was read since"
    assert told(None, 1) == ("", "", "unknown")
    assert told(Identity(firmware="1.13.0", facts={"far_firmware": "1.13.0"}), 2) == ("1.13.0", "", "current")
    assert told(Identity(firmware="", facts={"mode": "loader"}), 3)[::2] == ("", "no-application")
    assert told(Identity(firmware="", facts={"hardware": "B"}), 4)[0] == "", "who tells none has not the one before"


def test_what_cannot_be_said_of_a_file_or_a_model_is_refused(technician: APIClient) -> None:
    [one] = add(technician, "a.crn", ext1("1.12.0"))["added"]
    for body in ({"version": "newest"}, {"profile": "wendle-w1"}, {"profile": "nobody-x1"}):
        assert technician.patch(f"/api/firmware/{one['id']}", body, format="json").status_code == 400, body
    for want in ({"current": "new"}, {"least": "1.0"}):
        assert technician.put("/api/firmware/models/corrain-xt1", want, format="json").status_code == 400
    assert technician.put("/api/firmware/models/nobody-x1", {}, format="json").status_code == 404
    assert technician.delete(f"/api/firmware/{one['id']}").status_code == 204
    assert technician.get(f"/api/firmware/{one['id']}").status_code == 404


def test_the_engine_reads_a_file_in_pieces_and_is_told_when_its_bytes_are_gone(
    technician: APIClient, own_folder: Path
) -> None:
    [one] = add(technician, "a.crn", ext1("1.12.0"))["added"]
    image = files.image_of(one["id"])
    assert b"".join(image.chunks(700)) == ext1("1.12.0")
    (own_folder / one["digest"]).unlink()
    with pytest.raises(Exception, match="not in the data folder any more"):
        files.image_of(one["id"])
    assert technician.get(f"/api/firmware/{one['id']}").json()["there"] is False
    assert add(technician, "a.crn", ext1("1.12.0"))["added"][0]["id"] == one["id"]  # its bytes are back


def test_one_device_at_a_time_and_a_file_that_is_there(technician: APIClient, kit: Device) -> None:
    plan = {"kind": "firmware", "devices": [kit.id, "Ticket hall box"]}
    assert "one device at a time" in technician.post("/api/plans", plan, format="json").json()["error"]["message"]
    answer = technician.post("/api/plans", {"kind": "firmware", "devices": [kit.id]}, format="json").json()
    assert "There is no file for Sender" in answer["error"]["message"]
    assert standing.on_its_bench(kit, Library([], {}, []))["word"] == ""


def test_only_what_a_run_set_back_is_put_back(kit: Device, library: Library) -> None:
    kit.line = Line.objects.create(name="Net", kind="ip", network="127.20.20.0/24", source="127.20.20.1")
    kit.save()
    Unit.objects.filter(id=kit.unit_id).update(identity_key="corrain|cx-1")
    run = Run.objects.create(kind="firmware", by="eve")
    told = [
        {"path": "/channel", "what": "set back", "from": 7, "to": 1},
        {"path": "/gone", "what": "dropped", "from": 3, "to": None},
    ]
    Step.objects.create(run=run, ordinal=0, device=kit.id, action="backup")
    asked = Asked({"devices": [kit.id], "run": run.id}, "eve", None, library)  # type: ignore[arg-type]
    with pytest.raises(NotFound, match="set nothing back on Sender"):
        Restore().order(asked)
    Step.objects.create(run=run, ordinal=1, device=kit.id, action="load", evidence={"settings": told})
    params = {**Restore().order(asked), "kind": "restore"}
    [order] = orders_of(RunState("p", "plan", "eve", params), library)
    assert (order.wanted, order.profile, order.refused) == ({"channel": 7}, "corrain-xt1", "")


def test_what_was_decided_for_the_former_model_is_kept_aside_and_decided_anew_where_it_fits(
    technician: APIClient, library: Library
) -> None:
    device = Device.objects.create(
        name="Gate", profile="sandrel-px1-gate", taken_in=True, intended={"name": "gate-a", "gate": {"open_s": 35}}
    )
    fit(device, Unit.objects.create(maker="Sandrel", model="PX1 Gate", serial="SP-1", firmware="1.4"), by="eve")
    aside.become(device.id, "sandrel-px1-lamp", library)
    aside.become(device.id, "sandrel-px1-lamp", library)  # twice is once
    device = Device.objects.get(id=device.id)
    assert (device.profile, device.intended, device.unit.serial) == ("sandrel-px1-lamp", {}, "SP-1")
    [one] = technician.get(f"/api/devices/{device.id}/firmware").json()["aside"]
    told = {value["path"]: (value["value"], value["fits"]) for value in one["values"]}
    assert told == {"/name": ("gate-a", True), "/gate/open_s": (35, False)}
    where = f"/api/devices/{device.id}/aside/{one['id']}"
    assert technician.post(where, {"paths": ["/gate/open_s"]}, format="json").status_code == 400
    assert technician.post(where, {"paths": ["/name"]}, format="json").status_code == 204
    assert Device.objects.get(id=device.id).intended == {"name": "gate-a"}
    assert technician.delete(where).status_code == 204
    assert technician.delete(where).status_code == 404
    assert technician.get(f"/api/devices/{device.id}/firmware").json()["aside"] == []


@settings(max_examples=200, deadline=None)
@given(name=st.text(max_size=60), head=st.one_of(st.binary(max_size=300), st.just(ext1("9.9")[:80])))
def test_any_file_is_recognised_or_not(name: str, head: bytes) -> None:
    from tests.standins.test_models import LIBRARY

    known = recognised(name, head, LIBRARY)
    assert bool(known.profile) != bool(known.why)
