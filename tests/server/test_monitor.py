"""What is recorded of points, how it goes out, and what it costs the records."""

from __future__ import annotations

import csv
import io
from typing import Any

import pytest
from rest_framework.test import APIClient

from netloom_core.errors import RequestError
from netloom_core.library.load import Library
from netloom_core.live.edges import Edge
from netloom_server.base.problems import Conflict
from netloom_server.installation.models import Device, Line, MonitoredPoint, PointEdge
from netloom_server.installation.services import fitting, monitor
from tests.server.conftest import named

BOX = "Ticket hall box"


def add(client: APIClient, *points: str, status: int = 204) -> Any:
    body = {"points": [{"device": BOX, "point": point} for point in points]}
    answer = client.post("/api/monitor", body, format="json")
    assert answer.status_code == status, answer.content
    return answer.json() if answer.content else None


def test_points_are_added_and_taken_out(technician: APIClient, viewer: APIClient, library: Library) -> None:
    add(viewer, "relay-1", status=403)
    add(technician, "relay-1", "/inputs/2/state", "relay-1")
    shown = monitor.shown(library)
    assert [(one["point"], one["label"], one["states"]) for one in shown] == [
        ("relay-1", "Relay 1: Counter shutter", ["off", "on"]),
        ("input-2", "Input 2: Shutter limit", ["rest", "active"]),
    ]  # fmt: skip
    assert monitor.wanted() == {named(BOX).id: ["relay-1", "input-2"]}
    assert "has no live point relay-77" in add(technician, "relay-77", status=400)["error"]["message"]
    assert technician.delete(f"/api/monitor/{shown[0]['id']}").status_code == 204
    assert technician.delete(f"/api/monitor/{shown[0]['id']}").status_code == 404
    assert technician.delete("/api/monitor/all").status_code == 404
    assert [one["point"] for one in monitor.shown(library)] == ["input-2"]


def test_devices_on_an_archived_line_are_asked_nothing(technician: APIClient) -> None:
    from django.utils import timezone

    add(technician, "relay-1")
    Line.objects.filter(id=named(BOX).line_id).update(archived=timezone.now())
    assert monitor.wanted() == {}


def test_no_more_than_it_bears(technician: APIClient, library: Library, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(monitor, "MOST", 2)
    monitor.add([(BOX, "relay-1"), (BOX, "relay-2")], "eve", library)
    with pytest.raises(Conflict):
        monitor.add([(BOX, "relay-3")], "eve", library)
    assert MonitoredPoint.objects.count() == 2
    with pytest.raises(RequestError):
        monitor.add([(BOX, f"relay-{n}") for n in range(1, 4)], "eve", library)


def test_what_was_recorded_begins_where_it_stood_and_the_oldest_goes(
    technician: APIClient, library: Library, monkeypatch: pytest.MonkeyPatch
) -> None:
    add(technician, "relay-1")
    box = named(BOX).id
    monitor.save([Edge(box, "relay-1", state, 1000.0 + n) for n, state in enumerate(["off", "on", "off", "on"])], 1)
    monitor.save([Edge("gone", "relay-1", "on", 1000.0)], 2)
    assert [(edge.time, edge.state) for edge in monitor.recorded(1001.5)] == [(1001, "on"), (1002, "off"), (1003, "on")]
    assert not PointEdge.objects.filter(device="gone").exists()
    monkeypatch.setattr(monitor, "MOST_KEPT", 2)
    monitor.save([Edge(box, "relay-1", "off", 1010.0)], monitor.TRIM_EVERY)
    assert PointEdge.objects.count() == 2
    other = Device.objects.create(name="Other", profile="hallvane-rx8")
    monitor.add([(other.id, "relay-1"), (other.id, "relay-2")], "eve", library)
    fitting.merge(other, named(BOX))
    assert sorted(MonitoredPoint.objects.values_list("point", flat=True)) == ["relay-1", "relay-2"]
    assert PointEdge.objects.filter(device=other).count() == 2


def test_what_it_did_while_the_server_was_away_nobody_knows(technician: APIClient) -> None:
    add(technician, "relay-1", "relay-2")
    box = named(BOX).id
    monitor.was_away()
    assert not PointEdge.objects.exists(), "it was never asked for"
    monitor.save([Edge(box, "relay-1", "on", 1000.0)], 1)
    monitor.still_there(1500.0)
    monitor.was_away()
    monitor.was_away()
    assert [(edge.point, edge.time, edge.state) for edge in monitor.recorded(1.0)] == [
        ("relay-1", 1000.0, "on"), ("relay-1", 1500.0, ""),
    ]  # fmt: skip


def test_the_file_has_how_long_each_state_lasted(technician: APIClient, library: Library) -> None:
    add(technician, "relay-1")
    box = named(BOX).id
    states = [("off", 1000.0, ""), ("on", 1010.25, "anna"), ("off", 1010.75, ""), ("", 1020.0, ""), ("on", 1030.0, "")]
    edges = [Edge(box, "relay-1", state, time, cause).as_dict() for state, time, cause in states]
    rows = list(csv.reader(io.StringIO(monitor.as_csv(edges, library))))
    assert rows[0] == list(monitor.HEAD)
    assert rows[2][:1] == ["1970-01-01T00:16:50.250Z"]
    assert [(row[4], row[5], row[6]) for row in rows[1:]] == [
        ("off", "", ""), ("on", "anna", "10.250"), ("off", "", "0.500"), ("not known", "", "9.250"), ("on", "", ""),
    ]  # fmt: skip


def test_of_two_places_each_change_comes_once() -> None:
    one, two = {"device": "d", "point": "p", "state": "on", "time": 5.0001, "cause": ""}, {}
    two = {**one, "time": 5.00012}
    late = {**one, "time": 4.0, "state": "off"}
    assert monitor.together([one], [two, late]) == [late, one]
