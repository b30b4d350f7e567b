"""Fences: what nobody drives or writes to for a time, and why."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from django.utils import timezone

from netloom_core.errors import RequestError
from netloom_core.library.load import Library
from netloom_core.run.drive import short_name
from netloom_server.base.problems import Conflict, NoRight, NotFound
from netloom_server.installation.models import Device, Fence

MOST_MINUTES = 24 * 60


def fence_off(device: Device, point: str, why: str, minutes: int, by: str, library: Library) -> Fence:
    """From now on, for so long. Raises RequestError for what is no point of it, Conflict where it is fenced off."""
    profile = library.get(device.profile)
    if point:
        short = short_name(profile, point) if profile is not None else point
        if profile is None or short not in profile.by_point:
            raise RequestError(f"{device.name} has no point {point[:80]}.", "Look at its points on the bench.")
        point = short
    now = timezone.now()
    Fence.objects.filter(until__lte=now).delete()
    if there := Fence.objects.filter(device=device, point=point).first():
        raise Conflict(f"{there.by} fenced that off already: {there.why}.", "Talk to them.")
    return Fence.objects.create(
        device=device, point=point, why=why.strip(), by=by, until=now + timedelta(minutes=minutes)
    )


def lift(ident: int, by: str, lead: bool) -> Fence:
    """Whoever made it, or a lead. Raises NotFound where it ended, NoRight where it is another one's."""
    there = Fence.objects.filter(id=ident).select_related("device").first()
    if there is None:
        raise NotFound("That fence has ended already.", "Nothing was changed.")
    if there.by != by and not lead:
        raise NoRight(f"{there.by} fenced it off: {there.why}.", "They lift it, or a lead does.")
    there.delete()
    return there


def of(device: str, library: Library) -> dict[str, str]:
    """What is in the way there now, in words: by point, by its short name and its path; "" is the whole device."""
    found = Fence.objects.filter(device=device, until__gt=timezone.now()).select_related("device").order_by("until")
    ways: dict[str, str] = {}
    for fence in found:
        what = f"{fence.point} of {fence.device.name}" if fence.point else fence.device.name
        until = timezone.localtime(fence.until).strftime("%H:%M")
        why = f"{what} is fenced off by {fence.by} until {until}: {fence.why}."
        ways.setdefault(fence.point, why)
        profile = library.get(fence.device.profile)
        if profile is not None and (item := profile.by_point.get(fence.point)) is not None:
            ways.setdefault(item.path, why)
    return ways


def shown(device: Device) -> list[dict[str, Any]]:
    return [
        {"id": one.id, "point": one.point, "why": one.why, "by": one.by, "until": one.until.isoformat()}
        for one in device.fences.all()
        if one.until > timezone.now()
    ]
