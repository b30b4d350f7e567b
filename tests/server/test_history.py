"""Three records on one clock: the device's own, the journal, the point monitor."""

from __future__ import annotations

from datetime import UTC, datetime

from rest_framework.test import APIClient

from netloom_core.library.load import Library
from netloom_core.live.edges import Edge
from netloom_core.model.work import JournalEntry
from netloom_server.installation.models import Device
from netloom_server.installation.services import history, monitor
from netloom_server.runs.services import journal
from tests.server.conftest import named

BOX = "Ticket hall box"


def test_they_are_laid_together_the_newest_first(technician: APIClient, library: Library) -> None:
    box = named(BOX)
    monitor.add([(BOX, "relay-1")], "eve", library)
    monitor.save([Edge(box.id, "relay-1", "on", 1000.0, "anna")], 1)
    changes = [{"path": "/relays/1/idle", "to": "closed"}]
    entry = {"action": "write", "kind": "outcome", "outcome": "done", "by": "eve", "message": "", "changes": changes}
    entries = [{"time": datetime.fromtimestamp(1010, UTC).isoformat(), **entry}]
    own = [{"at": 1005.0, "text": "bus lost", "code": "E7"}, {"at": None, "text": "no time", "code": ""}]
    rows = history.laid_together(box, own, entries, library)
    assert [(row["of"], row["text"]) for row in rows] == [
        ("journal", "write outcome done by eve: Relay 1 idle state to closed"),
        ("device", "bus lost"),
        ("points", "Relay 1: on, driven by anna"),
        ("device", "no time"),
    ]
    assert (rows[1]["code"], rows[1]["at"], rows[3]["at"]) == ("E7", "1970-01-01T00:16:45+00:00", None)


def test_the_journal_of_a_record_that_was_joined_is_its_too(site: None) -> None:
    box = named(BOX)
    Device.objects.filter(id=box.id).update(was=["before"])
    for device in ("before", box.id, "another"):
        journal.append_all([JournalEntry("act", "", device, "", "", "code", "eve", "", message=device)])
    box.refresh_from_db()
    told = journal.of_devices([box.id, *box.was], 10)
    assert [one["message"] for one in told] == [box.id, "before"]


def test_one_that_keeps_no_record_is_not_asked(technician: APIClient) -> None:
    assert technician.get(f"/api/devices/{BOX}").json()["can"] == ["record"]
    reader = "Gate A reader"
    assert technician.get(f"/api/devices/{reader}").json()["can"] == []
    refused = technician.post(f"/api/devices/{reader}/history")
    assert refused.status_code >= 400
    assert refused.json()["error"]["message"]
