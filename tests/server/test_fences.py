"""Fences: what nobody drives or writes to for a time; and values that are kept for a reason only."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

import pytest
from django.utils import timezone
from rest_framework.test import APIClient

from netloom_core.errors import ReasonWanted, RequestError
from netloom_core.library.load import Library
from netloom_core.model.fence import why_fenced
from netloom_server.base.problems import Conflict, NoRight, NotFound
from netloom_server.installation.models import Device, Fence
from netloom_server.installation.services import fences
from netloom_server.runs.models import JournalEntry, Plan, Run
from netloom_server.runs.services import runs
from tests.server.conftest import named

BOX = "Ticket hall box"


def fence(client: APIClient, status: int = 200, **body: Any) -> dict[str, Any]:
    answer = client.post(f"/api/devices/{BOX}/fences", {"why": "on the ladder", "minutes": 30, **body}, format="json")
    assert answer.status_code == status, answer.json()
    return dict(answer.json())


def test_a_fence_is_for_everybody_stands_in_the_journal_and_ends(
    technician: APIClient, viewer: APIClient, library: Library
) -> None:
    fence(viewer, 403)
    made = fence(technician, point="relay-3")
    box = named(BOX)
    why = why_fenced(fences.of(box.id, library), "relay-3")
    assert why.startswith("relay-3 of Ticket hall box is fenced off by the-technician until ")
    assert why.endswith(": on the ladder.")
    assert why_fenced(fences.of(box.id, library), "/relays/3/state") == why, "by its path it is the same point"
    assert why_fenced(fences.of(box.id, library), "relay-4") == ""
    assert why_fenced(fences.of(box.id, library), None) == why, "nothing is written there either"
    shown = viewer.get(f"/api/devices/{BOX}").json()["fences"]
    assert [(one["point"], one["by"], one["why"]) for one in shown] == [("relay-3", "the-technician", "on the ladder")]
    listed = {one["name"]: one["fences"] for one in viewer.get("/api/devices").json()["devices"]}
    assert [one["id"] for one in listed[BOX]] == [made["id"]]
    assert JournalEntry.objects.order_by("-id")[0].entry["message"] == "Fenced off relay-3 for 30 min: on the ladder"
    Fence.objects.update(until=timezone.now() - timedelta(seconds=1))
    assert why_fenced(fences.of(box.id, library), "relay-3") == ""
    assert viewer.get(f"/api/devices/{BOX}").json()["fences"] == []
    assert fence(technician, point="relay-3")["id"] != made["id"], "what has ended is in nobody's way"


def test_who_made_it_or_a_lead_lifts_it(technician: APIClient, lead: APIClient, library: Library) -> None:
    made = fence(technician)
    assert "whole device" in JournalEntry.objects.order_by("-id")[0].entry["message"]
    with pytest.raises(NoRight, match="the-technician fenced it off"):
        fences.lift(made["id"], "nova", lead=False)
    assert fence(technician, 409)["error"]["message"].startswith("the-technician fenced that off already")
    path = f"/api/devices/{BOX}/fences/{made['id']}"
    assert lead.delete(path).status_code == 204
    assert lead.delete(path).status_code == 404
    assert technician.delete(f"/api/devices/{BOX}/fences/x").status_code == 404
    assert why_fenced(fences.of(named(BOX).id, library), "relay-3") == ""


def test_only_what_is_there_is_fenced_off(technician: APIClient, library: Library) -> None:
    assert "has no point relay-99" in fence(technician, 400, point="relay-99")["error"]["message"]
    fence(technician, 400, minutes=0)
    fence(technician, 400, minutes=100_000)
    fence(technician, 400, why="")
    with pytest.raises(RequestError):
        fences.fence_off(named(BOX), "relay-99", "x", 5, "eve", library)
    with pytest.raises(NotFound):
        fences.lift(12345, "eve", lead=True)
    fences.fence_off(named(BOX), "/relays/2/state", "x", 5, "eve", library)
    with pytest.raises(Conflict):
        fences.fence_off(named(BOX), "relay-2", "x", 5, "eve", library)


@pytest.fixture
def unsafe(site: None) -> Plan:
    device = Device.objects.create(name="Amplifier", profile="severin-da8", taken_in=True)
    step = {"ordinal": 0, "device": device.id, "action": "store", "params": {"keeps": [], "changes": []}}
    told = "Output 1 level -80.0 dBu would be kept: nothing would be heard there. That needs a reason."
    remarks = [{"device": device.id, "name": device.name, "code": "safety", "message": told}]
    run = Run.objects.create(id="plan1", kind="plan", by="eve", state="done", params={"kind": "apply"})
    made = {"steps": [step], "remarks": remarks, "versions": {device.id: device.version}, "read": {}, "digest": "x"}
    return Plan.objects.create(id=run.id, kind="apply", **made)


def test_a_plan_that_keeps_something_unsafe_wants_a_reason(unsafe: Plan) -> None:
    for reason in ("", "   "):
        with pytest.raises(ReasonWanted, match="Amplifier: Output 1 level"):
            runs.approve(unsafe.id, "apply", "eve", reason)
    assert not Run.objects.filter(kind="apply").exists()
    run = runs.approve(unsafe.id, "apply", "eve", "the pier has its own horn")
    assert run.params["reason"] == "the pier has its own horn"
    [entry] = runs.unsafe_for(run)
    assert entry.by == "eve"
    assert entry.message.endswith("That needs a reason. Reason: the pier has its own horn")


def test_a_reason_for_nothing_is_kept_nowhere(unsafe: Plan) -> None:
    Plan.objects.update(remarks=[])
    run = runs.approve(unsafe.id, "apply", "eve", "because")
    assert "reason" not in run.params
    assert runs.unsafe_for(run) == []
