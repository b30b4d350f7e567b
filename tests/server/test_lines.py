"""Lines that people take away or merge: nothing of the installation loses its place, and no device is told anything."""

from __future__ import annotations

import pytest
from rest_framework.test import APIClient

from netloom_core.library.load import Library
from netloom_server.base.problems import Conflict
from netloom_server.installation.models import Device, Line, LineAccess, Sighting
from netloom_server.installation.services import access, lines
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
