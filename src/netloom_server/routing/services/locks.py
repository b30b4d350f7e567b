"""Locks on crosspoints: whose, why, and what they keep from being changed."""

from __future__ import annotations

from typing import Any

from django.db import IntegrityError, transaction

from netloom_core.errors import RequestError
from netloom_core.library.load import Library
from netloom_core.model import lock as core
from netloom_core.profiles.item import Item
from netloom_core.run.drive import short_name
from netloom_server.base.problems import Conflict, NoRight, NotFound
from netloom_server.installation.models import Device
from netloom_server.installation.services.present import point_label
from netloom_server.routing.models import Lock


def lock(device: Device, point: str, state: str, why: str, by: str, library: Library) -> Lock:
    """From now on. Raises RequestError for what is no crosspoint of it, Conflict where it is locked so already."""
    item = _item(device, point, library)
    if state and state not in (item.targets or item.states):
        raise RequestError(f"{item.label} cannot be {state[:40]!r}.", f"Say {' or '.join(item.states[:12])}.")
    there = Lock.objects.filter(device=device, path=item.path, state__in=("", state)).first()
    if there is not None:
        raise Conflict(f"{there.by} locked that already: {there.why}.", "Talk to them.")
    try:
        with transaction.atomic():
            return Lock.objects.create(device=device, path=item.path, state=state, why=why.strip(), by=by)
    except IntegrityError as error:
        raise Conflict("Somebody locked that just now.", "Look again. Nothing was changed.") from error


def _item(device: Device, point: str, library: Library) -> Item:
    profile = library.get(device.profile)
    item = profile.by_point.get(short_name(profile, point)) if profile is not None else None
    if item is None or not item.drive:
        raise RequestError(f"{device.name} has no point {point[:80]} to lock.", "Look at its grid.")
    return item


def unlock(ident: int, by: str, lead: bool) -> Lock:
    """Whoever made it, or a lead. Raises NotFound where it is gone, NoRight where it is another one's."""
    there = Lock.objects.filter(id=ident).select_related("device").first()
    if there is None:
        raise NotFound("That lock is gone already.", "Nothing was changed.")
    if there.by != by and not lead:
        raise NoRight(f"{there.by} locked it: {there.why}.", "They unlock it, or a lead does.")
    Lock.objects.filter(id=ident).delete()
    return there


def of(device: str, library: Library) -> list[core.Lock]:
    """As the core looks at them."""
    found = Lock.objects.filter(device=device).select_related("device").order_by("id")
    return [core.Lock(one.path, _said(one, library), one.state) for one in found]


def _said(one: Lock, library: Library) -> str:
    profile = library.get(one.device.profile)
    item = profile.by_path.get(one.path) if profile is not None else None
    what = point_label(one.device, profile, item) if item is not None else one.path
    if not one.state:
        return f"{what} of {one.device.name} is locked by {one.by}: {one.why}."
    kept_out = item.type.show(_value(item, one.state)) if item is not None else one.state
    return f"{one.by} keeps {kept_out} away from {what} of {one.device.name}: {one.why}."


def _value(item: Item, state: str) -> Any:
    return next((o.value for o in getattr(item.type, "options", []) if str(o.value) == state), state)


def shown(library: Library) -> list[dict[str, Any]]:
    return [
        {
            "id": one.id,
            "device": one.device_id,
            "name": one.device.name,
            "point": _short(one, library),
            "path": one.path,
            "state": one.state,
            "why": one.why,
            "by": one.by,
            "at": one.at,
            "said": _said(one, library),
        }
        for one in Lock.objects.select_related("device").order_by("device__name", "id")
    ]


def _short(one: Lock, library: Library) -> str:
    profile = library.get(one.device.profile)
    return short_name(profile, one.path) if profile is not None else one.path
