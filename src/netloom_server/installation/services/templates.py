"""Templates: a named part of one device's values, decided for others, and where it no longer holds."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from itertools import count
from typing import Any

from django.db import transaction

from netloom_core.documents.tree import MISSING, get
from netloom_core.errors import NetloomError, RequestError
from netloom_core.library.load import Library
from netloom_core.profiles.profile import Profile
from netloom_core.profiles.values import checked
from netloom_server.base.problems import Conflict, NotFound
from netloom_server.installation.models import Device, Template, TemplateUse
from netloom_server.installation.services.decisions import named, profile_of, set_intended
from netloom_server.installation.services.places import with_running

MOST_VALUES = 2000
MOST_TEXT = 400  # letters
_WORD = re.compile(r"\{\w+\}")


@dataclass
class Standing:
    """Of one device that a template was applied to: by path what it should be, and is. `state` is `holds`, `waits`
    where it is decided and not written yet, `differs`, or `gone` where its model has no such values any more."""

    device: str
    name: str
    state: str
    differs: dict[str, tuple[Any, Any]] = field(default_factory=dict)


def find(ident: str) -> Template:
    number = int(ident) if ident.isascii() and ident.isdecimal() and len(ident) < 10 else 0
    found = Template.objects.filter(id=number).first()
    if found is None:
        raise NotFound("There is no such template any more.", "Look at the list of templates.")
    return found


@transaction.atomic
def make(
    name: str, device: Device, paths: Sequence[str], values: Mapping[str, Any], by: str, library: Library
) -> Template:
    """Of what is decided on a device, else of what it has, at these paths; `values` go before that. A template with
    that name is replaced where it is for the same model; where it was applied is kept.

    Raises RequestError for what no template may have: secrets, addresses, values that nobody knows.
    """
    name = name.strip()[:80]
    if not name:
        raise RequestError("A template needs a name.", "Type one.")
    profile = profile_of(device, library)
    running = next(iter(with_running([device])))[1]
    found: dict[str, Any] = {}
    for path in dict.fromkeys([*paths, *values]):
        item = profile.by_path.get(path)
        if item is None:
            raise RequestError(f"{profile.model} has no setting {path[:80]}.", "Look at its settings.")
        if item.secret or item.reserved or item.role in ("address", "password"):
            raise RequestError(f"{item.label} cannot be in a template.", "Leave it out: it is each device's own.")
        value = values.get(path, get(device.intended, path))
        value = get(dict(running), path) if value is MISSING else value
        if value is MISSING:
            raise RequestError(f"Nobody knows {item.label} of {device.name}.", "Read it first, or leave it out.")
        if _has_words(value) and len(value) > MOST_TEXT:
            raise RequestError(f"{item.label} has more than {MOST_TEXT} letters.", "Make it shorter.")
        found[path] = value if _has_words(value) else checked(profile, path, value)
    if not found or len(found) > MOST_VALUES:
        raise RequestError(f"A template has 1 to {MOST_VALUES} values, not {len(found)}.", "Choose others.")
    before = Template.objects.filter(name__iexact=name).first()
    if before is not None and before.profile != profile.id:
        raise Conflict(f"The template {before.name} is for another model.", "Choose another name.")
    made = before or Template(name=name, profile=profile.id)
    made.values, made.made_by = found, by
    made.save()
    return made


def _has_words(value: Any) -> bool:
    return isinstance(value, str) and bool(_WORD.search(value))


def _filled(template: Template, device: Device, number: int, profile: Profile, library: Library) -> dict[str, Any]:
    """By path what it gives that device. Raises core's errors where a value cannot be."""
    result: dict[str, Any] = {}
    for path, value in template.values.items():
        if _has_words(value):
            value = named(value, number, device, device.area, library, many=False)
        result[path] = checked(profile, path, value)
    return result


@transaction.atomic
def apply(
    template: Template, devices: Sequence[Device], versions: dict[str, int], by: str, library: Library
) -> list[Device]:
    """Decide its values for these devices; all or none. A plan writes them. Who had it before keeps its number, the
    others are counted on from the last one, in their order."""
    before = dict(template.uses.values_list("device_id", "number"))
    fresh = count(max(before.values(), default=0) + 1)
    numbers = {device.id: before.get(device.id) or next(fresh) for device in devices}
    changes: list[tuple[str, str, Any]] = []
    for device in devices:
        profile = profile_of(device, library)
        missing = [path for path in template.values if path not in profile.by_path]
        if missing:
            raise RequestError(
                f"{device.name}, a {profile.model}, has no {missing[0]}: {template.name} is not for it.",
                "Leave it out. Nothing was decided.",
            )
        filled = _filled(template, device, numbers[device.id], profile, library)
        changes += [(device.id, path, value) for path, value in filled.items()]
    decided = set_intended(changes, library, versions, by)
    for device in devices:
        defaults = {"number": numbers[device.id], "by": by}
        TemplateUse.objects.update_or_create(template=template, device=device, defaults=defaults)
    return decided


def standings(template: Template, library: Library) -> list[Standing]:
    """Where it was applied, those first where it no longer holds."""
    uses = list(template.uses.select_related("device", "device__unit", "device__area", "device__line").order_by("id"))
    numbers = {use.device_id: use.number for use in uses}
    found = [
        _standing(template, device, numbers[device.id], running, library)
        for device, running in with_running([use.device for use in uses])
    ]
    order = ("differs", "gone", "waits", "holds")
    return sorted(found, key=lambda one: (order.index(one.state), one.name))


def _standing(
    template: Template, device: Device, number: int, running: Mapping[str, Any], library: Library
) -> Standing:
    profile = library.get(device.profile)
    try:
        wanted = _filled(template, device, number, profile, library) if profile is not None else None
    except NetloomError:
        wanted = None
    if wanted is None:
        return Standing(device.id, device.name, "gone")
    waits, differs = False, {}
    for path, value in wanted.items():
        decided, has = get(device.intended, path), get(dict(running), path)
        if has == value and decided in (value, MISSING):
            continue
        if decided == value:
            waits = True
            continue
        is_ = has if decided is MISSING else decided
        differs[path] = (value, None if is_ is MISSING else is_)
    return Standing(device.id, device.name, "differs" if differs else "waits" if waits else "holds", differs)
