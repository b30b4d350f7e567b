"""Joining: what has to be equal on two devices is taken from the one that makes the network, and checked against it."""

from __future__ import annotations

import hmac
from collections.abc import Mapping
from typing import Any

from django.db import transaction

from netloom_core.documents.tree import MISSING, get
from netloom_core.errors import KeyLost, RequestError
from netloom_core.library.load import Library
from netloom_core.model.secrets import MASK, PREFIX, is_reference
from netloom_core.profiles.joining import Joining
from netloom_core.profiles.profile import Profile
from netloom_server.backups.models import Document
from netloom_server.base.problems import Conflict, NotFound
from netloom_server.base.sealing import unseal
from netloom_server.installation.models import Device, Joined
from netloom_server.installation.services.decisions import profile_of, set_intended


def _running(device: Device) -> dict[str, Any]:
    return Document.load_many({device.running}).get(device.running, {})


def value_of(device: Device, path: str, running: Mapping[str, Any]) -> Any:
    """What is decided, else what it has; of a secret its text where that is kept. MISSING where nobody knows it."""
    value = get(device.intended, path)
    if value is MISSING:
        value = (device.unit.secrets.get(path) if device.unit is not None else None) or get(dict(running), path)
    if value is None or not is_reference(value):
        return MISSING if value is None else value
    kept = device.secrets.filter(id=str(value).removeprefix(PREFIX)).first()
    return unseal(bytes(kept.secret)) if kept is not None else MISSING


def _found(profile: Profile, name: str) -> Joining:
    joins = {one.name: one for one in profile.joins}
    if not joins:
        raise RequestError(f"A {profile.model} joins nothing that is known.", "Its settings are on the bench.")
    found = joins.get(name) if name else next(iter(joins.values()))
    if found is None:
        raise RequestError(f"A {profile.model} has no {name[:60]} to join.", f"It has {', '.join(joins)}.")
    return found


@transaction.atomic
def join(device: Device, parent: Device, name: str, by: str, library: Library) -> list[Device]:
    """Decide on the device what joining needs; a plan writes it. Raises RequestError where the other one makes nothing
    of the kind, or nobody knows what has to be equal."""
    profile, theirs = profile_of(device, library), profile_of(parent, library)
    if device.id == parent.id:
        raise RequestError("A device joins another one, not itself.", "Choose the one that makes it.")
    how, running = _found(profile, name), _running(parent)
    for path, wanted in how.makes.items():
        has = value_of(parent, path, running)
        if has is not MISSING and has != wanted:
            shown = theirs.by_path[path].type.show(has) if path in theirs.by_path else has
            raise RequestError(
                f"{parent.name} makes none: {theirs.called(path)} is {shown} there.",
                "Choose another one, or set that one up first. Nothing was decided.",
            )
    changes: list[tuple[str, str, Any]] = [(device.id, path, value) for path, value in how.sets.items()]
    for mine, other in how.equal.items():
        value = value_of(parent, other, running)
        if value is MISSING:
            raise RequestError(
                f"Nobody knows {theirs.called(other)} of {parent.name}.",
                "Read it, or where it is a secret enter it there. Nothing was decided.",
            )
        changes.append((device.id, mine, value))
    Joined.objects.update_or_create(device=device, name=how.name, defaults={"parent": parent, "by": by})
    return set_intended(changes, library, by=by)


def leave(device: Device, name: str) -> None:
    """It is not checked against the other one any more; what is decided stays."""
    if not Joined.objects.filter(device=device, name=name).delete()[0]:
        raise NotFound(f"{device.name} joins no {name[:60]}.", "Nothing was changed.")


def standing(device: Device, profile: Profile | None, running: Mapping[str, Any], states: Mapping[str, str],
             library: Library) -> list[dict[str, Any]]:  # fmt: skip
    """Of each thing that it can join: whom it joins, what is not equal on both, and what the device says of it."""
    if profile is None or not profile.joins:
        return []
    kept = {one.name: one for one in device.joins.select_related("parent", "parent__unit")}
    told = []
    for how in profile.joins:
        joined = kept.get(how.name)
        state = states.get(how.proof.point, "") if how.proof is not None else ""
        point = profile.by_point.get(how.proof.point) if how.proof is not None else None
        told.append(
            {
                "name": how.name,
                "to": joined.parent_id if joined else None,
                "to_name": joined.parent.name if joined else "",
                "differs": _differs(device, profile, running, joined.parent, how, library) if joined else [],
                "proof": point.label if point is not None else "",
                "state": point.type.show(state) if point is not None and state else "",
                "joined": state in how.proof.states if how.proof is not None and state else None,
            }
        )
    return told


def _differs(
    device: Device, profile: Profile, running: Mapping[str, Any], parent: Device, how: Joining, library: Library
) -> list[dict[str, str]]:
    theirs, there = library.get(parent.profile), _running(parent)
    rows = []
    for mine, other in how.equal.items():
        item = profile.by_path[mine]
        try:
            own, wanted = value_of(device, mine, running), value_of(parent, other, there)
        except KeyLost:
            own = wanted = MISSING
        if wanted is MISSING or own is MISSING:
            same = own is MISSING and wanted is MISSING
        else:
            same = hmac.compare_digest(str(own).encode(), str(wanted).encode())
        if not same:
            rows.append(
                {
                    "label": item.label,
                    "mine": _shown(item, own),
                    "theirs": _shown(theirs.by_path[other] if theirs and other in theirs.by_path else item, wanted),
                }
            )
    return rows


def _shown(item: Any, value: Any) -> str:
    if value is MISSING:
        return "not known"
    return MASK if item.secret else str(item.type.show(value))


def no_circle(device: Device, parent: Device) -> None:
    """Raises Conflict where the one that would be joined joins this one, over however many."""
    seen, at = {device.id}, parent
    while (next_one := Joined.objects.filter(device=at).select_related("parent").first()) is not None:
        if next_one.parent_id in seen:
            raise Conflict(f"{parent.name} joins {device.name} already.", "Only one of them makes it.")
        seen.add(at.id)
        if next_one.parent_id == at.id or len(seen) > 50:
            return
        at = next_one.parent
