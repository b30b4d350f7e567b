"""What people decide about areas. No device is told anything, and none is ever lost with its area."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from django.db.models import F, Q
from django.utils import timezone

from netloom_core.errors import RequestError
from netloom_server.base.problems import Conflict
from netloom_server.installation.models import Area, Device
from netloom_server.installation.services.lines import some_of
from netloom_server.installation.services.places import area_goes

MOST = 2000


@transaction.atomic
def create(name: str, parent: Area | None) -> Area:
    if Area.objects.count() >= MOST:
        raise Conflict(f"There are {MOST} areas already.", "Merge some of them.")
    return Area.objects.create(name=_checked(name), parent=parent)


@transaction.atomic
def edit(area: Area, changes: dict[str, Any]) -> None:
    """`name`, `parent`: the area that it is inside of, or None; `archived`: put away, or brought back.

    An area with devices on lines in use, or with areas in use inside of it, is not put away. Raises Conflict.
    """
    changes = dict(changes)
    if "archived" in changes:
        if changes["archived"]:
            _empty(area)
        elif area.parent is not None and area.parent.archived:
            changes.setdefault("parent", None)  # what it was inside of stays away
        changes["archived"] = area.archived = (area.archived or timezone.now()) if changes["archived"] else None
    if "name" in changes:
        area.name = _checked(changes["name"], area)
    if "parent" in changes:
        _not_inside(changes["parent"], area)
        area.parent = changes["parent"]
    area.save(update_fields=list(changes))


@transaction.atomic
def merge(area: Area, into: Area | None) -> int:
    """Its devices and what is inside of it go to another one, or to none, and it is gone. How many devices went."""
    _not_inside(into, area)
    went = Device.objects.filter(area=area).update(area=into, version=F("version") + 1)
    area.inside.update(parent=into if into is not None else area.parent)
    area_goes(str(area.id), str(into.id) if into is not None else "")
    area.delete()
    return went


def _not_inside(other: Area | None, area: Area) -> None:
    """By what stands in the records now: another person may have moved one of them since it was looked up."""
    above = dict(Area.objects.values_list("id", "parent"))
    at = other.id if other is not None else None
    while at is not None:
        if at == area.id:
            raise Conflict(
                f"{other.name if other else ''} is {area.name} or inside of it.",
                "Choose another area. Nothing was changed.",
            )
        at = above.get(at)


def _empty(area: Area) -> None:
    away = Q(line__archived__isnull=False)
    there = Device.objects.filter(area=area).exclude(away).order_by("name").values_list("name", flat=True)
    inside = area.inside.filter(archived=None).values_list("name", flat=True)
    for names, one, several in (
        (list(there), "is in", "are in"),
        (list(inside), "is an area inside of", "are areas inside of"),
    ):
        if names:
            raise Conflict(
                f"{some_of(names)} {one if len(names) == 1 else several} {area.name}.",
                "Give them another area, or archive their lines first. Nothing was changed.",
            )


def _checked(name: str, area: Area | None = None) -> str:
    name = " ".join(name.split())
    if not name:
        raise RequestError("An area needs a name.", "Type one.")
    if any(one.name.casefold() == name.casefold() for one in Area.objects.all() if area is None or one.id != area.id):
        raise Conflict(f"There is an area named {name} already.", "Choose another name, or merge the two.")
    return name
