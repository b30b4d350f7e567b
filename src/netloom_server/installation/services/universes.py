"""Fixtures and nodes as records tell them, and deciding which fixture listens where and which port sends what."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from django.db import transaction

from netloom_core.addressing.universes import Fixture, Output
from netloom_core.documents.tree import MISSING, get
from netloom_core.errors import RequestError
from netloom_core.library.load import Library
from netloom_core.model.line import UNIT_MARK, host_of
from netloom_core.model.universe import LAST_SLOT, PORT_ADDRESSES, parts_of, port_address, shown
from netloom_core.profiles.profile import Profile
from netloom_server.backups.models import Document
from netloom_server.base.problems import Conflict
from netloom_server.installation.models import Device
from netloom_server.installation.services.decisions import FORGET, profile_of, set_intended

MOST_SHARES = 40  # letters


def _value(device: Device, running: Mapping[str, Any], path: str) -> Any:
    """As it was decided, else as it was read; MISSING where nobody knows."""
    value = get(device.intended, path) if path else MISSING
    return get(dict(running), path) if value is MISSING and path else value


def _number(value: Any) -> int:
    return value if isinstance(value, int) and not isinstance(value, bool) else 0


def _told(device: Device, fact: str) -> int | None:
    """A number that it, or its node, told in the last sweep that found it."""
    text = str(device.facts.get(fact, ""))
    here = device.unit is not None and device.seen is not None and device.status != "missing"
    return int(text) if here and text.isascii() and text.isdecimal() and len(text) < 8 else None


def usual_personality(profile: Profile) -> str:
    """The one that new units have, as the profile says; empty where it does not."""
    item = profile.by_path.get(profile.listens.personality) if profile.listens is not None else None
    return "" if item is None or item.default is None else str(item.default)


def fixture_of(device: Device, profile: Profile, running: Mapping[str, Any]) -> list[Fixture]:
    """One where the model listens to a universe; else none."""
    listens = profile.listens
    if listens is None:
        return []
    now = get(dict(running), listens.personality) if listens.personality else MISSING
    wanted = _value(device, running, listens.personality)
    takes = (0 if now is MISSING and listens.personality else listens.taken(now)) or _told(device, "footprint") or 0
    slots = listens.taken(wanted) if wanted is not MISSING or not listens.personality else 0
    if not slots and wanted in (now, MISSING):
        slots = takes or (0 if device.seen else listens.taken(usual_personality(profile)))
    heard = _told(device, "universe")
    start = _number(_value(device, running, listens.start))
    at = _number(get(dict(running), listens.start)) or _told(device, "dmx") or 0
    item = profile.by_path[listens.start]
    return [
        Fixture(
            device=device.id,
            name=device.name,
            kind=profile.kind,
            area=str(device.area_id or ""),
            area_name=device.area.name if device.area else "",
            universe=device.universe if device.universe is not None else heard,
            start=start or at,
            slots=min(slots, LAST_SLOT),
            heard=heard,
            at=at,
            takes=min(takes, LAST_SLOT),
            personality="" if wanted is MISSING else str(wanted),
            sizes=listens.slots if isinstance(listens.slots, dict) else {},
            shares=device.shares,
            can=not item.reserved,
            fitted=bool(device.unit and device.seen),
            mine=device.taken_in,
            node=host_of(device.address) if UNIT_MARK in device.address else "",
        )
    ]


def hears(device: Device, profile: Profile | None) -> tuple[int | None, int | None]:
    """Universe and start address of a fixture, as they are decided, else as they were told; 0 where it has none yet.
    None of others."""
    if profile is None or profile.listens is None:
        return None, None
    start = _number(get(device.intended, profile.listens.start)) or _told(device, "dmx") or 0
    return device.universe if device.universe is not None else _told(device, "universe"), start


def outputs_of(device: Device, profile: Profile, running: Mapping[str, Any]) -> list[Output]:
    """The ports of a node that belongs here."""
    sends = profile.sends
    if sends is None or not device.taken_in:
        return []
    told = [int(word) for word in str(device.facts.get("universes", "")).split() if word.isdecimal()]
    found = []
    for at, (path, label) in enumerate(profile.outputs.items()):
        net, subnet = (_number(_value(device, running, one)) for one in (sends.net, sends.subnet))
        low = _value(device, running, path)
        now = told[at] if at < len(told) else None
        read = get(dict(running), path)
        if read is not MISSING:
            was = [_number(get(dict(running), one)) for one in (sends.net, sends.subnet)]
            now = port_address(was[0], was[1], _number(read))
        universe = now if low is MISSING else port_address(net, subnet, _number(low))
        decided = get(device.intended, path) is not MISSING
        found.append(Output(device.id, device.name, label, path, universe, now, device.address, decided))
    return found


@transaction.atomic
def decide(
    assignments: Sequence[tuple[str, Mapping[str, Any]]], versions: Mapping[str, int], library: Library
) -> list[Device]:
    """By device any of `universe`, `start`, `personality`, `shares`; None takes a decision back. All or none.

    Raises Conflict where somebody else changed one meanwhile, core's errors for values that cannot be.
    """
    found = Device.objects.in_bulk([device for device, _ in assignments])
    changes: list[tuple[str, str, Any]] = []
    for ident, values in assignments:
        device = found.get(ident)
        if device is None:
            raise RequestError(f"There is no device {ident!r} any more.", "Look at the universes again.")
        if versions.get(ident, device.version) != device.version:
            raise Conflict(
                f"Somebody else changed {device.name} while you did. Nothing of your change was saved.",
                "Look at the new values, then make your change again.",
            )
        changes += _checked(device, values, library)
    for device in found.values():
        device.version += 1
        device.save(update_fields=["universe", "shares", "version"])
    if changes:
        set_intended(changes, library)
    return list(found.values())


def _checked(device: Device, values: Mapping[str, Any], library: Library) -> list[tuple[str, str, Any]]:
    """Puts universe and word on the record; gives what becomes of its values."""
    profile = profile_of(device, library)
    listens = profile.listens
    if listens is None:
        raise RequestError(f"{profile.model} listens to no universe.", "Nothing was changed.")
    if "universe" in values:
        number = values["universe"]
        if number is not None and (device.line is None or device.line.kind != "ip"):
            raise RequestError(f"{device.name} is on no network with universes.", "Put it on a network first.")
        if number is not None and not 0 <= number < PORT_ADDRESSES:
            raise RequestError(f"{number} is no universe.", f"It is a number from 0 to {PORT_ADDRESSES - 1}.")
        device.universe = number
    if "shares" in values:
        device.shares = str(values["shares"] or "").strip()[:MOST_SHARES]
    changes = []
    for what, path in (("personality", listens.personality), ("start", listens.start)):
        if what not in values:
            continue
        if not path:
            raise RequestError(f"{profile.model} has no {what} that can be set.", "Nothing was changed.")
        changes.append((device.id, path, FORGET if values[what] is None else values[what]))
    return changes


def port_sends(word: Device, path: str, number: int, versions: dict[str, int], library: Library) -> list[Device]:
    """Let a port of a node send a universe. Net and sub-net are those of all its ports, so a universe that needs others
    is refused while another port is decided or known to send one of the former."""
    profile = profile_of(word, library)
    sends = profile.sends
    if sends is None or path not in profile.outputs:
        raise RequestError(f"{profile.model} has no such port.", "Look at the node's ports again.")
    net, subnet, low = parts_of(number)
    high = {sends.net: net, sends.subnet: subnet}
    running = _running(word)
    changed = [one for one, value in high.items() if one and _number(_value(word, running, one)) != value]
    others = [label for one, label in profile.outputs.items() if one != path]
    if changed and others:
        has = [_number(_value(word, running, one)) for one in (sends.net, sends.subnet)]
        now = port_address(has[0], has[1], 0)
        raise Conflict(
            f"Universe {shown(number)} needs another net or sub-net, and these are for all ports of {word.name}: "
            f"{' and '.join(others[:3])} would send another one, too.",
            f"Choose one of {now} to {now + 15}, or set net and sub-net of the node under Configure first.",
        )
    values = [(one, value) for one, value in high.items() if one in changed] + [(path, low)]
    return set_intended([(word.id, one, value) for one, value in values], library, versions)


def _running(device: Device) -> dict[str, Any]:
    return Document.load_many({device.running}).get(device.running, {}) if device.running else {}
