"""Cables: what is plugged into what, as somebody wrote it down."""

from __future__ import annotations

from typing import Any

from django.db import IntegrityError, transaction

from netloom_core.documents.tree import MISSING, get
from netloom_core.documents.tree import Document as Tree
from netloom_core.errors import RequestError
from netloom_core.library.load import Library
from netloom_core.profiles.jacks import called, name_path
from netloom_core.profiles.signals import Jack
from netloom_server.backups.models import Document
from netloom_server.base.problems import Conflict, NotFound
from netloom_server.installation.models import Device
from netloom_server.routing.models import Cable

MOST = 5000


def lay(source: tuple[Device | None, str], target: tuple[Device | None, str], by: str, library: Library) -> Cable:
    """Raises RequestError where it cannot be, Conflict where one of the two has a cable already."""
    if source[0] is None and target[0] is None:
        raise RequestError("One end of a cable is a device on record.", "Say which jack of which device.")
    start, end = jack_meant(*source, "out", library), jack_meant(*target, "in", library)
    source, target = (source[0], start.id if start else source[1]), (target[0], end.id if end else target[1])
    if start is not None and end is not None:
        if start.carries != end.carries:
            raise RequestError(f"{source[1]} carries {start.carries}, and {target[1]} {end.carries}.", "Look again.")
        if source[0] == target[0]:
            raise RequestError("That cable would lead from a device into itself.", "Look which two it joins.")
    for field, (device, jack) in (("source", source), ("target", target)):
        there = Cable.objects.filter(**{f"{field}_device": device, f"{field}_jack": jack}).first() if device else None
        if there is not None:
            raise Conflict(
                f"A cable is recorded at {jack} of {device.name if device else ''} already: {told(there, library)}.",
                "Take that one off first. Nothing was changed.",
            )
    if Cable.objects.count() >= MOST:
        raise Conflict(f"At most {MOST} cables are recorded.", "Take off those that are gone.")
    try:
        with transaction.atomic():
            return Cable.objects.create(
                source_device=source[0], source_jack=source[1], target_device=target[0], target_jack=target[1], by=by
            )
    except IntegrityError as error:
        raise Conflict("Somebody recorded a cable there just now.", "Look again. Nothing was changed.") from error


def jack_meant(device: Device | None, jack: str, way: str, library: Library) -> Jack | None:
    """By its name in the profile, or by its label as tables show it; None where that end is no device on record.

    Raises RequestError with those that there are.
    """
    if device is None:
        if not jack.strip():
            raise RequestError("What is at that end has no name.", "Say what people call it.")
        return None
    profile = library.get(device.profile)
    ways = {"in": ("in",), "out": ("out",)}[way]
    found = profile.jacks.get(jack) if profile is not None else None
    if found is None and profile is not None:
        labelled = [
            one
            for one in profile.jacks.values()
            if one.label.casefold() == jack.casefold() and one.way in ways and not one.over
        ]
        found = labelled[0] if len(labelled) == 1 else None
    if found is None or found.way not in ways or found.over:
        jacks = profile.jacks if profile is not None else {}
        known = [name for name, one in jacks.items() if one.way in ways and not one.over]
        listed = ", ".join(known[:12]) + (" …" if len(known) > 12 else "") or "none"
        what = "no output" if way == "out" else "no input"
        raise RequestError(f"{device.name} has {what} {jack[:40]!r}.", f"It has: {listed}.")
    return found


def by_id(ident: str) -> Cable:
    there = Cable.objects.filter(id=ident).select_related("source_device", "target_device").first()
    if there is None:
        raise NotFound("That cable is not recorded any more.", "Nothing was changed.")
    return there


def take_off(ident: str) -> Cable:
    there = by_id(ident)
    Cable.objects.filter(id=ident).delete()
    return there


def told(cable: Cable, library: Library) -> str:
    start = _end(cable.source_device, cable.source_jack, library)
    return f"{start} to {_end(cable.target_device, cable.target_jack, library)}"


def _end(device: Device | None, jack: str, library: Library) -> str:
    if device is None:
        return jack
    running = Document.load_many({device.running}).get(device.running, {})
    return f"{device.name}, {_label(device, jack, library, running)}"


def _label(device: Device, jack: str, library: Library, running: Tree) -> str:
    profile = library.get(device.profile)
    known = profile.jacks.get(jack) if profile is not None else None
    if profile is None or known is None:
        return jack
    path = name_path(profile, known)
    name = get(running, path) if path else MISSING
    return called(profile, known, {path: name} if isinstance(name, str) else {})


def shown(library: Library) -> list[dict[str, Any]]:
    cables = list(Cable.objects.select_related("source_device", "target_device").order_by("at", "id"))
    ends = [one for cable in cables for one in (cable.source_device, cable.target_device) if one is not None]
    documents = Document.load_many({one.running for one in ends if one.running})

    def end(device: Device | None, jack: str) -> dict[str, str]:
        if device is None:
            return {"device": "", "name": jack, "jack": "", "label": ""}
        label = _label(device, jack, library, documents.get(device.running, {}))
        return {"device": device.id, "name": device.name, "jack": jack, "label": label}

    return [
        {
            "id": one.id,
            "source": end(one.source_device, one.source_jack),
            "target": end(one.target_device, one.target_jack),
            "by": one.by,
            "at": one.at,
            "proof": one.proof,
        }
        for one in cables
    ]
