"""Lines that people take away or merge: nothing of the installation loses its place, and no device is told anything."""

from __future__ import annotations

import pytest
from rest_framework.test import APIClient

from netloom_core.library.load import Library
from netloom_server.base.problems import Conflict
from netloom_server.installation.models import Device, Line, LineAccess, Sighting
from netloom_server.installation.services import access, lines, records
from netloom_server.runs.models import Run
from tests.server.test_survey import at, box, net, swept

NEW = {"kind": "ip", "network": "127.20.99.0/24"}


@pytest.fixture
def other(site: None) -> Line:
    """A part of the same network through another interface."""
    return Line.objects.create(name="Quay side", kind="ip", network="127.20.10.0/25", interface="other", protocol="ip")


def test_a_line_goes_with_its_strangers_and_not_with_a_device(
    technician: APIClient, lead: APIClient, other: Line
) -> None:
    stranger = Device.objects.create(name="Passing by", line=other, address="127.20.10.90")
    elsewhere = Device.objects.filter(taken_in=True).first()
    assert elsewhere is not None
    elsewhere.places = [
        {"line": other.id, "address": "127.20.10.9", "speed": 0},
        {"line": net().id, "address": "x", "speed": 0},
    ]
    elsewhere.save()
    url = f"/api/lines/{other.id}"
    assert technician.delete(url).status_code == 403
    stranger.taken_in = True
    stranger.save()
    refused = lead.delete(url)
    assert refused.status_code == 409
    assert "Passing by on Quay side would lose its place" in refused.json()["error"]["message"]
    stranger.taken_in = False
    stranger.save()
    lines.remove(other)
    assert not Line.objects.filter(name="Quay side").exists()
    assert not Device.objects.filter(name="Passing by").exists()
    elsewhere.refresh_from_db()
    assert [place["line"] for place in elsewhere.places] == [net().id]


def test_a_line_that_is_in_use_is_left_alone(other: Line) -> None:
    Run.objects.create(kind="sweep", state="running")
    with pytest.raises(Conflict, match="A run is under way"):
        lines.remove(other)
    with pytest.raises(Conflict, match="A run is under way"):
        lines.merge(other, net())


def test_the_port_of_a_serial_line_is_set_anew_while_nobody_uses_it(technician: APIClient, other: Line) -> None:
    bus = Line.objects.create(name="Bus", kind="serial", path="/dev/ttyS71", speed=9600, protocol="modbus")
    Line.objects.create(name="Other bus", kind="serial", path="/dev/ttyS72", speed=9600, protocol="modbus")

    def told(line: Line, **body: object) -> str:
        answer = technician.patch(f"/api/lines/{line.id}", body, format="json")
        return "" if answer.status_code == 200 else answer.json()["error"]["message"]

    assert told(bus, parity="E", speed=19200, path="/dev/ttyS73") == ""
    bus.refresh_from_db()
    assert (bus.path, bus.speed, bus.parity) == ("/dev/ttyS73", 19200, "E")
    assert "Other bus uses the port" in told(bus, path="/dev/ttyS72")
    assert "is no serial line" in told(other, speed=9600)
    Run.objects.create(kind="sweep", state="running")
    assert "A run is under way" in told(bus, parity="N")
    assert told(bus, name="Plant") == "", "its name can be another one at any time"
    bus.refresh_from_db()
    assert (bus.name, bus.path, bus.speed, bus.parity) == ("Plant", "/dev/ttyS73", 19200, "E")


def test_all_that_is_known_of_a_line_goes_along(library: Library, other: Line) -> None:
    [(device, _)] = swept(library, box(60, "HV-9"))
    version = device.version
    Device.objects.filter(id=device.id).update(line=other)
    Sighting.objects.update(line=other)
    access.keep(other, communities=["quay"])
    count = Sighting.objects.count()
    assert lines.merge(other, net()) == 1
    device.refresh_from_db()
    assert (device.line, device.version) == (net(), version + 1)
    assert Sighting.objects.filter(line=net()).count() == count > 0
    assert access.of_line(net()).communities == ("quay",)
    assert not Line.objects.filter(name="Quay side").exists()


def test_logins_of_the_line_that_stays_are_its_own(other: Line) -> None:
    access.keep(other, communities=["quay"])
    access.keep(net(), communities=["dock"])
    lines.merge(other, net())
    assert access.of_line(net()).communities == ("dock",)
    assert LineAccess.objects.count() == 1


def test_what_could_not_be_there_is_named_and_nothing_changes(library: Library, other: Line) -> None:
    swept(library, at(60, "page", title="Scoreboard"))
    wide = Device.objects.create(name="Mast box", line=other, address="127.20.11.4")
    with pytest.raises(Conflict, match="Mast box: no address of"):
        lines.merge(other, net())
    wide.address = "127.20.10.60"
    wide.save()
    with pytest.raises(Conflict, match="Mast box and Scoreboard have the same address"):
        lines.merge(other, net())
    wide.refresh_from_db()
    assert wide.line == other
    for one in (other, Line.objects.exclude(kind="ip").first()):
        if one is not None:
            with pytest.raises(Conflict, match="cannot be merged"):
                lines.merge(other, one)


def test_people_put_lines_in_their_own_order(technician: APIClient, viewer: APIClient, other: Line) -> None:
    def names() -> list[str]:
        return [line["name"] for line in technician.get("/api/lines").json()]

    before = names()
    assert before.index("Quay side") >= 0
    idents = {line.name: line.id for line in Line.objects.all()}
    wanted = [*[name for name in reversed(before) if name != "Quay side"], "Quay side"]
    put = {"lines": [idents[name] for name in wanted]}
    assert viewer.put("/api/lines/order", put, format="json").status_code == 403
    assert technician.put("/api/lines/order", put, format="json").status_code == 204
    assert names() == wanted
    new = Line.objects.create(name="Annex", kind="ip", network="127.20.1.0/24", protocol="ip")
    assert names() == [*wanted, "Annex"], "a new one comes last, whatever its address"
    for wrong in ([new.id, new.id], ["nobody"], "x"):
        assert technician.put("/api/lines/order", {"lines": wrong}, format="json").status_code == 400
    assert names() == [*wanted, "Annex"]
    assert technician.put("/api/lines/order", {"lines": []}, format="json").status_code == 204
    assert names()[0] == "Annex", "and by their addresses again"


def of_list(client: APIClient) -> set[str]:
    return {device["name"] for device in client.get("/api/devices").json()["devices"]}


def test_an_archived_line_keeps_everything_and_nothing_goes_out_on_it(
    technician: APIClient, lead: APIClient, library: Library, other: Line
) -> None:
    only = Device.objects.create(
        name="Quay box", line=other, address="127.20.10.9", taken_in=True, profile="hallvane-rx8"
    )
    both = Device.objects.create(
        name="Ramp box",
        line=other,
        address="127.20.10.8",
        taken_in=True,
        places=[{"line": net().id, "address": "127.20.10.77", "speed": 0}],
    )
    url, away = f"/api/lines/{other.id}", {"archived": True}
    assert {"Quay box", "Ramp box"} <= of_list(lead)
    assert technician.patch(url, away, format="json").status_code == 403
    assert lead.patch(url, away, format="json").json()["archived"]
    assert "Quay box" not in of_list(lead)
    both.refresh_from_db()
    assert (both.line, both.address) == (net(), "127.20.10.77"), "it is on a line in use, too"
    assert both.places == [{"line": other.id, "address": "127.20.10.8", "speed": 0}]
    overview = lead.get("/api/overview").json()
    assert [one["name"] for one in overview["archived"]] == ["Quay side"]
    assert other.id not in {one["id"] for one in overview["lines"]}
    assert only not in records.chosen(None)
    assert both in records.chosen(None)
    with pytest.raises(Conflict, match="Quay box is on Quay side, which is archived"):
        records.target_of(Device.objects.select_related("line").get(id=only.id), library)
    for refused in (
        lead.post("/api/runs", {"kind": "sweep", "lines": ["Quay side"]}, format="json"),
        lead.post("/api/devices", {"name": "New", "profile": "hallvane-rx8", "line": other.id}, format="json"),
        lead.post("/api/consoles", {"line": other.id}, format="json"),
        lead.post("/api/why", {"line": other.id, "address": "127.20.10.4"}, format="json"),
        lead.post(f"/api/lines/{net().id}/merge", {"into": other.id}, format="json"),
    ):
        assert refused.status_code == 409, refused.content
        assert "Quay side is archived" in refused.json()["error"]["message"]
    assert lead.patch(url, {"archived": False}, format="json").json()["archived"] is None
    assert {"Quay box", "Ramp box"} <= of_list(lead)
    assert Device.objects.get(id=only.id).address == "127.20.10.9"


def test_a_line_comes_back_only_while_nobody_has_its_network_or_port(site: None) -> None:
    quay = lines.new_ip({**NEW, "name": "Quay side"})
    quay.save()
    lines.archive(quay)
    new = lines.new_ip({**NEW, "name": "New quay"})
    new.save()
    with pytest.raises(Conflict, match="overlaps the line New quay"):
        lines.bring_back(quay)
    assert Line.objects.get(id=quay.id).archived
    new.name = "Quay side"
    with pytest.raises(Conflict, match="Quay side already, and it is archived"):
        lines.check_name(new)
    new.delete()
    lines.bring_back(quay)
    assert Line.objects.get(id=quay.id).archived is None
    bus = Line.objects.create(name="Bus", kind="serial", path="/dev/ttyUSB9")
    lines.archive(bus)
    Line.objects.create(name="Other bus", kind="serial", path="/dev/ttyUSB9")
    with pytest.raises(Conflict, match="Other bus uses the port"):
        lines.bring_back(bus)


def test_buses_behind_devices_go_along_and_come_back(site: None) -> None:
    leader = Device.objects.create(name="Doors", line=net(), address="127.20.10.70", taken_in=True)
    bus = Line.objects.create(name="Bus of Doors", kind="behind", parent=leader)
    earlier = Line.objects.create(name="Old bus", kind="behind", parent=leader)
    lines.archive(earlier)
    lines.archive(net())
    assert Line.objects.get(id=bus.id).archived
    lines.bring_back(net())
    assert Line.objects.get(id=bus.id).archived is None
    assert Line.objects.get(id=earlier.id).archived, "it was put away by itself"
