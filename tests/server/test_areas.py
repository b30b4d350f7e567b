"""Areas are made, renamed, moved, merged and removed; no device is lost with one."""

from __future__ import annotations

from typing import Any

import pytest
from django.utils import timezone
from rest_framework.test import APIClient

from netloom_core.errors import RequestError
from netloom_server.base.problems import Conflict
from netloom_server.installation.models import Area, Device, Line
from netloom_server.installation.services import areas


@pytest.fixture
def tree(site: None) -> dict[str, Area]:
    Area.objects.all().delete()
    made: dict[str, Area] = {}
    for name, above in (("Terminal", None), ("Hall", "Terminal"), ("Kiosk", "Hall"), ("Quay", None)):
        made[name] = areas.create(name, made[above] if above else None)
    Device.objects.filter(taken_in=True).update(area=made["Hall"])
    return made


def inside() -> dict[str, str]:
    return {area.name: area.parent.name if area.parent else "" for area in Area.objects.select_related("parent")}


def test_an_area_goes_inside_of_another_one_and_not_of_itself(tree: dict[str, Area]) -> None:
    areas.edit(tree["Hall"], {"parent": tree["Quay"]})
    assert inside()["Hall"] == "Quay"
    for name in ("Hall", "Kiosk"):
        with pytest.raises(Conflict, match="or inside of it"):
            areas.edit(Area.objects.get(name="Hall"), {"parent": Area.objects.get(name=name)})
    areas.edit(Area.objects.get(name="Hall"), {"parent": None, "name": "  Great   hall "})
    assert inside()["Great hall"] == ""


def test_two_who_look_at_an_older_tree_make_no_circle(tree: dict[str, Area]) -> None:
    quay, terminal = Area.objects.get(name="Quay"), Area.objects.get(name="Terminal")
    areas.edit(Area.objects.get(name="Quay"), {"parent": Area.objects.get(name="Kiosk")})
    for stale, into in ((terminal, quay), (tree["Hall"], tree["Quay"])):
        with pytest.raises(Conflict, match="or inside of it"):
            areas.edit(stale, {"parent": into})
        with pytest.raises(Conflict, match="or inside of it"):
            areas.merge(stale, into)
    assert inside() == {"Terminal": "", "Hall": "Terminal", "Kiosk": "Hall", "Quay": "Kiosk"}


@pytest.mark.parametrize(("name", "error"), [("hall", Conflict), ("  ", RequestError), ("KIOSK", Conflict)])
def test_names_are_there_once(tree: dict[str, Area], name: str, error: type[Exception]) -> None:
    with pytest.raises(error):
        areas.create(name, None)
    with pytest.raises(error):
        areas.edit(tree["Quay"], {"name": name})
    areas.edit(tree["Hall"], {"name": "HALL"})


def test_devices_and_what_is_inside_go_along(tree: dict[str, Area]) -> None:
    before = {d.id: d.version for d in Device.objects.filter(area=tree["Hall"])}
    assert areas.merge(tree["Hall"], tree["Quay"]) == len(before) > 0
    assert inside() == {"Terminal": "", "Kiosk": "Quay", "Quay": ""}
    assert {d.id: d.version - 1 for d in Device.objects.filter(area=tree["Quay"])} == before
    for into in ("Kiosk", "Quay"):
        with pytest.raises(Conflict, match="is Quay or inside of it"):
            areas.merge(Area.objects.get(name="Quay"), Area.objects.get(name=into))
    assert areas.merge(Area.objects.get(name="Quay"), None) == len(before)
    assert inside() == {"Terminal": "", "Kiosk": ""}
    assert Device.objects.filter(taken_in=True, area=None).count() == len(before)


@pytest.mark.parametrize(
    ("method", "path", "body"),
    [
        ("post", "/api/areas", {"name": "Mast"}),
        ("patch", "/api/areas/{id}", {"name": "Mast"}),
        ("post", "/api/areas/{id}/merge", {"into": 1}),
        ("delete", "/api/areas/{id}", {}),
    ],
)
def test_viewers_change_nothing(viewer: APIClient, tree: dict[str, Area], method: str, path: str, body: Any) -> None:
    url = path.format(id=tree["Quay"].id)
    assert getattr(viewer, method)(url, body, format="json").status_code == 403
    assert viewer.get("/api/areas").status_code == 200


def test_what_is_not_there_is_said(technician: APIClient, tree: dict[str, Area]) -> None:
    assert technician.patch("/api/areas/99999", {"name": "x"}, format="json").status_code == 404
    assert technician.patch(f"/api/areas/{tree['Hall'].id}", {"parent": 99999}, format="json").status_code == 404
    assert technician.post("/api/areas", {"name": "x" * 81}, format="json").status_code == 400


def test_an_area_with_nothing_in_use_is_archived_and_comes_back(tree: dict[str, Area]) -> None:
    with pytest.raises(Conflict, match=r"(is|are) in Hall"):
        areas.edit(tree["Hall"], {"archived": True})
    with pytest.raises(Conflict, match="Hall is an area inside of Terminal"):
        areas.edit(tree["Terminal"], {"archived": True})
    Line.objects.update(archived=timezone.now())  # all of its devices are away with their lines
    for name in ("Kiosk", "Hall", "Terminal"):
        areas.edit(Area.objects.get(name=name), {"archived": True})
    assert Area.objects.get(name="Hall").archived
    assert Device.objects.filter(area=tree["Hall"]).exists(), "nobody lost the area"
    areas.edit(Area.objects.get(name="Hall"), {"archived": False})
    assert inside()["Hall"] == "", "what it was inside of stays away"
    assert Area.objects.get(name="Hall").archived is None
