"""What people call the places of a device's axes: its inputs, relays, zones. A label is one fact, wherever it stands.

Where the device keeps a name for such a place, the label is decided there; where it keeps none, it is kept here. Places
of several devices can be one thing: then one label is decided on each of them, as far as each can show it.
"""

from __future__ import annotations

import unicodedata
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from django.db import transaction

from netloom_core.documents.tree import MISSING, get
from netloom_core.errors import RequestError
from netloom_core.library.load import Library
from netloom_core.profiles.item import Item
from netloom_core.profiles.profile import Profile
from netloom_core.types.text import Text
from netloom_server.backups.models import Document
from netloom_server.base.problems import Conflict, NotFound
from netloom_server.installation.models import Device, Label, LabelPlace

MAX_TEXT = 80
MOST_PLACES = 50  # of one thing


@dataclass(frozen=True)
class Place:
    device: str
    axis: str
    number: int


def fitted(item: Item, text: str) -> str:
    """The label as that item can hold it: in plain letters where it knows no others, cut where it is too short."""
    kind = item.type
    if not isinstance(kind, Text):
        return text
    if kind.ascii:
        text = unicodedata.normalize("NFKD", text).encode("ascii", "ignore").decode()
    return text[: kind.max_length].strip()


def item_of(profile: Profile | None, axis: str, number: int) -> Item | None:
    """The item by which the device itself keeps the name of a place; None where it keeps none that can be decided."""
    known = profile.axes.get(axis) if profile is not None else None
    path = known.name_path(axis, number) if known is not None else ""
    item = profile.by_path.get(path) if profile is not None and path else None
    return item if item is not None and not item.reserved else None


def kept_for(devices: Iterable[str]) -> dict[Place, str]:
    """Labels that are kept here, by place."""
    rows = LabelPlace.objects.filter(device__in=list(devices)).select_related("label")
    return {Place(row.device_id, row.axis, row.number): row.label.text for row in rows}


def text_of(
    device: Device, profile: Profile, running: Mapping[str, Any], kept: Mapping[Place, str], axis: str, number: int
) -> str:
    """What it is called: as people labelled it, else as it is decided on the device, else as it has it; or nothing."""
    own = kept.get(Place(device.id, axis, number), "")
    if own:
        return own
    item = item_of(profile, axis, number)
    if item is None:
        return ""
    for document in (device.intended, dict(running)):
        value = get(document, item.path)
        if value is not MISSING and isinstance(value, str) and value.strip():
            return value
    return ""


def shown(device: Device, profile: Profile | None, running: Mapping[str, Any]) -> list[dict[str, Any]]:
    """All places of its axes that have a label or can have one, with the others that are the same thing."""
    if profile is None:
        return []
    kept = kept_for([device.id])
    mine = {
        (row.axis, row.number): row
        for row in LabelPlace.objects.filter(device=device)
        .select_related("label")
        .prefetch_related("label__places__device")
    }
    found = []
    for name, axis in profile.axes.items():
        if not axis.label:
            continue
        for number in axis.numbers:
            row = mine.get((name, number))
            others = [one for one in row.label.places.all() if one.id != row.id] if row is not None else []
            found.append(
                {
                    "axis": name,
                    "number": number,
                    "printed": axis.called(number),
                    "text": text_of(device, profile, running, kept, name, number),
                    "on_it": item_of(profile, name, number) is not None,
                    "place": row.id if row is not None else None,
                    "same": [
                        {
                            "id": one.id,
                            "device": one.device_id,
                            "name": one.device.name,
                            "axis": one.axis,
                            "number": one.number,
                        }
                        for one in others
                    ],
                }
            )
    return found


def _checked(device: Device, axis: str, number: int, library: Library) -> Profile:
    profile = library.get(device.profile)
    if profile is None or axis not in profile.axes or number not in profile.axes[axis].numbers:
        raise RequestError(f"{device.name} has no {axis[:40]} {number}.", "Look at its labels on the bench.")
    return profile


def _place(device: Device, axis: str, number: int, text: str, by: str) -> LabelPlace:
    found = LabelPlace.objects.filter(device=device, axis=axis, number=number).select_related("label").first()
    return found or LabelPlace.objects.create(
        label=Label.objects.create(text=text, by=by), device=device, axis=axis, number=number
    )


@transaction.atomic
def label(device: Device, axis: str, number: int, text: str, by: str, library: Library) -> list[tuple[str, str, Any]]:
    """Call it so, and all that are the same thing. Gives what is to be decided on the devices for it."""
    _checked(device, axis, number, library)
    text = text.strip()[:MAX_TEXT]
    if not text or not text.isprintable():
        raise RequestError("A label needs a text on one line.", "Type one.")
    kept = _place(device, axis, number, text, by).label
    Label.objects.filter(id=kept.id).update(text=text, by=by)
    return _on_devices(kept, text, library)


def _on_devices(kept: Label, text: str, library: Library) -> list[tuple[str, str, Any]]:
    changes: list[tuple[str, str, Any]] = []
    for one in kept.places.select_related("device"):
        item = item_of(library.get(one.device.profile), one.axis, one.number)
        if item is not None:
            changes.append((one.device_id, item.path, fitted(item, text)))
    return changes


@transaction.atomic
def same(
    device: Device, axis: str, number: int, other: Device, to: str, there: int, by: str, library: Library
) -> list[tuple[str, str, Any]]:
    """These two places are one thing: it is called as the second one is. Gives what is to be decided for it. Raises
    RequestError, Conflict where the first has no other place left to be."""
    profile, theirs = _checked(device, axis, number, library), _checked(other, to, there, library)
    if (device.id, axis, number) == (other.id, to, there):
        raise RequestError("That is the same place.", "Choose another one.")
    running = Document.load_many({device.running, other.running})
    documents = {one.id: running.get(one.running, {}) for one in (device, other)}
    kept = kept_for([device.id, other.id])
    text = text_of(other, theirs, documents[other.id], kept, to, there) or text_of(
        device, profile, documents[device.id], kept, axis, number
    )
    if not text:
        raise RequestError("Neither of them is called anything yet.", "Give one of them a label first.")
    goal = _place(other, to, there, text, by).label
    mine = _place(device, axis, number, text, by)
    if mine.label_id != goal.id:
        if goal.places.count() + mine.label.places.count() > MOST_PLACES:
            raise Conflict(f"One thing has at most {MOST_PLACES} places.", "Nothing was changed.")
        before = mine.label
        LabelPlace.objects.filter(label=before).update(label=goal)
        before.delete()
    Label.objects.filter(id=goal.id).update(text=text, by=by)
    return _on_devices(goal, text, library)


@transaction.atomic
def part(ident: int, by: str) -> None:
    """It is a thing of its own again, called as before."""
    place = LabelPlace.objects.filter(id=ident).select_related("label").first()
    if place is None:
        raise NotFound("That label is gone already.", "Nothing was changed.")
    if place.label.places.count() > 1:
        own = Label.objects.create(text=place.label.text, by=by)
        LabelPlace.objects.filter(id=place.id).update(label=own)


def spread(
    changes: Sequence[tuple[str, str, Any]], found: Mapping[str, Device], library: Library, by: str
) -> list[tuple[str, str, Any]]:
    """Changes, and what follows of them: where a name on one device is decided, all that are the same thing get it."""
    profiles = {one.id: one.profile for one in found.values()}
    labelled = LabelPlace.objects.filter(device__in=profiles).select_related("label")
    places: dict[tuple[str, str], LabelPlace] = {}
    for row in labelled:
        item = item_of(
            library.get(next(d for d in found.values() if d.id == row.device_id).profile), row.axis, row.number
        )
        if item is not None:
            places[row.device_id, item.path] = row
    made = list(changes)
    mentioned = {(found[word].id, path) for word, path, _ in changes}
    for word, path, value in changes:
        place = places.get((found[word].id, path))
        if place is None or not isinstance(value, str) or not value.strip():
            continue
        item = item_of(library.get(found[word].profile), place.axis, place.number)
        if item is not None and fitted(item, place.label.text) == value:
            continue  # it is that label already, as this device can show it
        Label.objects.filter(id=place.label_id).update(text=value[:MAX_TEXT], by=by)
        made += [one for one in _on_devices(place.label, value, library) if (one[0], one[1]) not in mentioned]
    return made
