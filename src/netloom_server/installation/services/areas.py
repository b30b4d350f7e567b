"""What people decide about areas. No device is told anything, and none is ever lost with its area."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from django.db.models import F

from netloom_core.errors import RequestError
from netloom_server.base.problems import Conflict
from netloom_server.installation.models import Area, Device

MOST = 2000


@transaction.atomic
def create(name: str, parent: Area | None) -> Area:
    if Area.objects.count() >= MOST:
        raise Conflict(f"There are {MOST} areas already.", "Merge some of them.")
    return Area.objects.create(name=_checked(name), parent=parent)


@transaction.atomic
def edit(area: Area, changes: dict[str, Any]) -> None:
    """`name`, and `parent`: the area that it is inside of, or None."""
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


def _checked(name: str, area: Area | None = None) -> str:
    name = " ".join(name.split())
    if not name:
        raise RequestError("An area needs a name.", "Type one.")
    if any(one.name.casefold() == name.casefold() for one in Area.objects.all() if area is None or one.id != area.id):
        raise Conflict(f"There is an area named {name} already.", "Choose another name, or merge the two.")
    return name
