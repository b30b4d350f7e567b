"""What people decide: taking in, names, intended values, planned addresses."""

from __future__ import annotations

import copy
import re
from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict
from ipaddress import ip_network
from typing import Any

from django.db import transaction
from django.db.models import Q

from netloom_core.addressing.conflicts import Holder, Holders, check_address
from netloom_core.documents.tree import MISSING, get, put, remove
from netloom_core.errors import RequestError
from netloom_core.identity.keys import best_key
from netloom_core.library.load import Library
from netloom_core.library.standard import model_of
from netloom_core.model.secrets import PREFIX, is_reference, reference
from netloom_core.profiles.profile import Profile
from netloom_core.profiles.values import checked
from netloom_core.sweep.finding import Place
from netloom_server.base.problems import Conflict
from netloom_server.base.sealing import seal
from netloom_server.installation.models import Area, CommonKey, Device, Line, Secret
from netloom_server.installation.services import naming
from netloom_server.installation.services.fitting import fit, merge, unit_of
from netloom_server.installation.services.lines import line_of
from netloom_server.installation.services.records import recount, recount_all, resolve, resolve_all

FORGET: Any = object()


def profile_of(device: Device, library: Library) -> Profile:
    if not device.profile:
        raise RequestError(
            f"Nobody knows yet what model {device.name} is, so it has no settings here.",
            "Say which model it is on the bench under Survey.",
        )
    return library.need(device.profile)


def planned_address(device: Device, profile: Profile | None) -> str:
    """The address that people decided on; where nothing was decided, the one it has."""
    setting = profile.with_role("address") if profile else None
    value = get(device.intended, setting.path) if setting else MISSING
    return device.address if value is MISSING else str(value)


def holders(library: Library, line: Line) -> list[Holder]:
    """Everyone on a line, at the address they have, at the one planned for them, and where they may go."""
    result = []
    for device in Device.objects.filter(line=line):
        planned = planned_address(device, library.get(device.profile))
        if device.address and device.status != "missing":
            leaving = device.taken_in and planned != device.address
            result.append(Holder(device.id, device.name, line.id, device.address, leaving=leaving))
        bound = device.unit.bound if device.unit else {}
        result += [Holder(device.id, device.name, line.id, address, planned=True) for address in bound]
        if planned and device.taken_in:
            result.append(Holder(device.id, device.name, line.id, planned, planned=True))
    return result + _coming(library, line)


def _coming(library: Library, line: Line) -> list[Holder]:
    """Who is on another network, and is planned to come to this one, or may come to it at a power cut."""
    if line.kind != "ip":
        return []
    network, core = ip_network(line.network), line.as_core()
    begins = ".".join(str(network.network_address).split(".")[: network.prefixlen // 8])
    told = Q(taken_in=True, intended__icontains=f'"{begins}') | Q(unit__bound__icontains=f'"{begins}')
    found = []
    for device in Device.objects.exclude(line=line).filter(told, line__kind="ip"):
        planned = planned_address(device, library.get(device.profile)) if device.taken_in else ""
        places = {planned, *(device.unit.bound if device.unit else ())} - {device.address, ""}
        found += [Holder(device.id, device.name, line.id, one, planned=True) for one in places if core.holds(one)]
    return found


@transaction.atomic
def set_intended(
    changes: Sequence[tuple[str, str, Any]],
    library: Library,
    versions: dict[str, int] | None = None,
    by: str = "",
    *,
    fill: bool = False,
) -> list[Device]:
    """Change intended values, all or none. `versions` are those that the person saw. With `fill` the words of a name
    ({n}, {area} …) are filled in where they stand in a text, and {place}, the number on its axis: {n} counts the
    devices, or of one device the changes.

    Raises Conflict when somebody else changed a device meanwhile; core's errors for
    values that cannot be.
    """
    by_device: dict[str, list[tuple[str, Any]]] = defaultdict(list)
    devices: dict[str, Device] = {}
    found = resolve_all(word for word, _, _ in changes)
    if fill:
        changes = _filled(changes, found, library)
    if (more := naming.spread(changes, found, library, by)) != list(changes):
        found |= resolve_all(word for word, _, _ in more)
        changes = more
    for word, path, value in changes:
        device = devices.setdefault(found[word].id, found[word])
        by_device[device.id].append((path, value))
    taken = _holders_with_leaving(devices.values(), by_device, library)
    for device in devices.values():
        stated = (versions or {}).get(device.id)
        if stated is not None and stated != device.version:
            raise Conflict(
                f"Somebody else changed {device.name} while you did. Nothing of your change was saved.",
                "Look at the new values, then make your change again.",
            )
        device.intended = _decided(device, by_device[device.id], taken, library, by)
        device.version += 1
        device.save(update_fields=["intended", "version"])
    recount_all(list(devices.values()), library)
    return list(devices.values())


def _filled(
    changes: Sequence[tuple[str, str, Any]], found: Mapping[str, Device], library: Library
) -> list[tuple[str, str, Any]]:
    numbers = {ident: n for n, ident in enumerate(dict.fromkeys(found[word].id for word, _, _ in changes), 1)}
    made: list[tuple[str, str, Any]] = []
    for number, (word, path, value) in enumerate(changes, 1):
        device = found[word]
        profile = library.get(device.profile)
        if isinstance(value, str) and "{" in value and profile is not None and path in profile.by_path:
            place = [str(n) for n in profile.places[path][1].values()]
            n = numbers[device.id] if len(numbers) > 1 else number
            filled = value.replace("{place}", place[-1] if place else str(n))
            value = named(filled, n, device, device.area, library, many=False)
        made.append((word, path, value))
    return made


def _decided(
    device: Device, changes: Sequence[tuple[str, Any]], taken: dict[str, Holders], library: Library, by: str
) -> dict[str, Any]:
    """The intended values with changes; raises core's errors for values that cannot be."""
    profile, line = profile_of(device, library), device.line
    intended = copy.deepcopy(device.intended)
    for path, value in changes:
        if value is FORGET:
            remove(intended, path)
            _may_stay(device, profile, path, taken)
            continue
        good = checked(profile, path, value)
        if profile.by_path[path].role == "address" and line is not None:
            there = line_of(line, str(good))
            if there.id not in taken:
                taken[there.id] = Holders(holders(library, there))
            core, here = there.as_core(), taken[there.id]
            check_address(core, str(good), device.id, here.at(there.id, str(good)))
            here.plan(device.id, device.name, there.id, planned_address(device, profile), str(good))
        if profile.by_path[path].secret:
            good = _kept_secret(device, good, by)
        put(intended, path, good)
    return intended


def _holders_with_leaving(
    devices: Iterable[Device], changes: Mapping[str, Sequence[tuple[str, Any]]], library: Library
) -> dict[str, Holders]:
    """By line who is where; those that these very changes send elsewhere leave their places, so that devices can
    take one another's."""
    taken: dict[str, Holders] = {}
    for device in devices:
        profile = library.get(device.profile)
        item = profile.with_role("address") if profile is not None else None
        if item is None or device.line is None:
            continue
        said = [value for path, value in changes[device.id] if path == item.path]
        if not said:
            continue
        if device.line.id not in taken:
            taken[device.line.id] = Holders(holders(library, device.line))
        here, line = taken[device.line.id], device.line.id
        here.undecided(device.id, line, planned_address(device, profile))
        stays = said[-1] is FORGET or str(said[-1]) == device.address
        if not stays and device.taken_in:
            here.leaves(device.id, line, device.address)
    return taken


def _may_stay(device: Device, profile: Profile, path: str, taken: Mapping[str, Holders]) -> None:
    """A device that is not to leave its place any more may have it only while nobody else is planned there."""
    if profile.by_path[path].role != "address" or device.line is None or device.line.id not in taken:
        return
    here, line = taken[device.line.id], device.line.id
    check_address(
        device.line.as_core(), device.address, device.id, [o for o in here.at(line, device.address) if o.planned]
    )
    here.plan(device.id, device.name, line, "", device.address)


def _kept_secret(device: Device, text: str, by: str) -> str:
    """A reference to the text; one that is a reference of this device's already stays it."""
    if is_reference(text):
        if device.secrets.filter(id=text.removeprefix(PREFIX)).exists():
            return text
        raise RequestError(
            "What stands there is not the secret itself, and the one that it stood for is gone.", "Type it anew."
        )
    return reference(Secret.objects.create(device=device, secret=seal(text), set_by=by).id)


def set_addresses(assignments: Sequence[tuple[str, str, str]], library: Library) -> list[Device]:
    """Plan addresses: (device, address, line or empty). All or none, and no two on one address."""
    seen: dict[tuple[str, str], str] = {}
    changes = []
    found = resolve_all(word for word, _, _ in assignments)
    for word, address, line in assignments:
        device = found[word]
        profile = profile_of(device, library)
        setting = profile.with_role("address")
        if setting is None:
            raise RequestError(f"{profile.model} has no address that can be set.")
        there = line_of(device.line, address) if device.line else None
        if line and (there is None or there.name.casefold() != line.casefold()):
            where = there.name if there else "no line"
            raise RequestError(f"{address} would be on {where}, not on {line}.", "Leave @LINE out.")
        key = (there.id if there else "", address)
        if key in seen:
            raise Conflict(f"{address} is given to both {seen[key]} and {device.name}.", "Give each its own.")
        seen[key] = device.name
        changes.append((device.id, setting.path, address))
    return set_intended(changes, library)


def unique_name(name: str, but: str = "") -> str:
    name = name.strip()[:80]
    if not name:
        raise RequestError("A device needs a name.", "Type one.")
    if Device.objects.filter(name__iexact=name, taken_in=True).exclude(id=but).exists():
        raise Conflict(f"Another device is named {name} already.", "Choose another name.")
    return name


def own_name(device: Device) -> str:
    """The name that it was found by; where another one has it, with what tells the two apart."""
    for name in (device.name, *(f"{device.name[:50]} {more}"[:80] for more in (device.serial, device.address) if more)):
        if not Device.objects.filter(name__iexact=name, taken_in=True).exclude(id=device.id).exists():
            return name
    return device.name


def named(pattern: str, number: int, device: Device, area: Area | None, library: Library, *, many: bool) -> str:
    """A name made from a pattern.

    {n} counts from 1, {nn} in two digits; {model}, {serial}, {address}, {last} (the last
    number of its address, or the last four digits of who is behind it), {kind}, {area} and {line} are filled in.
    """
    profile = library.get(device.profile)
    values = {
        "n": str(number),
        "nn": f"{number:02}",
        "model": (profile.model if profile else "") or device.model or "device",
        "serial": device.serial or "no serial",
        "address": device.address,
        "last": behind[-4:] if (behind := device.address.partition("#")[2]) else device.address.rpartition(".")[2],
        "kind": profile.kind if profile else "device",
        "area": area.name if area else (device.area.name if device.area else ""),
        "line": device.line.name if device.line else "",
    }
    name = re.sub(r"\{(\w+)\}", lambda found: values.get(found.group(1), found.group(0)), pattern)
    return f"{name} {number}" if many and name == pattern else name


@transaction.atomic
def take_in(device: Device, name: str, area: Area | None, stands_for: str, library: Library) -> Device:
    """Make a found device one of the installation's, as itself or as a planned one.

    `stands_for` is a planned device without identity: the found unit is fitted there, and all
    that was made of the found record moves along.
    """
    if device.taken_in:
        raise Conflict(f"{device.name} belongs to the installation already.")
    if stands_for:
        planned = resolve(stands_for)
        if planned.identity_key:
            raise Conflict(
                f"{planned.name} is a device that was seen before, {planned.serial or planned.identity_key}.",
                "To put a new unit in its place, restore its backup to the new one.",
            )
        if planned.profile != device.profile:
            raise RequestError(f"{planned.name} is planned as {planned.profile}, this is a {device.profile}.")
        unit = unit_of(device)
        fit(planned, unit)
        fields = ["line", "address", "speed", "places", "placed", "methods", "seen"]
        for field in fields:
            setattr(planned, field, getattr(device, field))
        planned.status, planned.reasons, planned.version = "known", [], planned.version + 1
        planned.save(update_fields=[*fields, "status", "reasons", "version"])
        device.refresh_from_db()
        merge(planned, device)
        recount(planned, library)
        return planned
    device.name = unique_name(name or device.name, device.id)
    device.area, device.taken_in, device.version = area or device.area, True, device.version + 1
    if device.status in ("new", "unknown"):
        device.status = "known"
    device.save(update_fields=["name", "area", "taken_in", "version", "status"])
    return device


@transaction.atomic
def adopt(ident: str, values: Mapping[str, Any], library: Library) -> None:
    """A restore or an undo is a decision, too: what it wrote is now intended, where something was decided."""
    device = Device.objects.filter(id=ident).first()
    profile = library.get(device.profile) if device else None
    if device is None or profile is None:
        return
    for path, value in values.items():
        if path in profile.by_path and get(device.intended, path) is not MISSING:
            put(device.intended, path, value)
    device.version += 1
    device.save(update_fields=["intended", "version"])
    recount(device, library)


@transaction.atomic
def join(device: Device, other: Device) -> Device:
    """Say that two records are one device. `device` stays, with the evidence and the keys of both.

    Raises Conflict when both have plans, backups or serial numbers of their own.
    """
    if device.id == other.id:
        raise RequestError("That is the same record.", "Name the other one.")
    if device.serial and other.serial and device.serial.casefold() != other.serial.casefold():
        raise Conflict(
            f"{device.name} has serial number {device.serial}, {other.name} has {other.serial}: they are two.",
            "To put a new unit in the place of an old one, restore the old one's backup to it.",
        )
    if other.taken_in and (other.intended or other.backups.exists()):
        if device.taken_in and (device.intended or device.backups.exists()):
            raise Conflict(
                f"Both {device.name} and {other.name} have plans or backups; joining would lose one's.",
                "Forget the plan of the one that is not real, then join.",
            )
        device, other = other, device
    unit, theirs = unit_of(device), unit_of(other)
    # What both bear is theirs alone again, by what a person says.
    both = [key for key in unit.shared if key in theirs.shared]
    CommonKey.objects.filter(key__in=both).delete()
    unit.shared = {key: why for key, why in unit.shared.items() if key not in theirs.shared}
    unit.ways = {**theirs.ways, **unit.ways}
    unit.apart = [key for key in unit.apart if key not in theirs.keys]
    unit.keys = list(dict.fromkeys([*unit.keys, *theirs.keys, *both]))
    for name in ("maker", "model", "serial", "firmware", "guess", "running", "startup", "read"):
        if not getattr(unit, name):
            setattr(unit, name, getattr(theirs, name))
    unit.identity_key = best_key([key for key in (unit.identity_key, theirs.identity_key, *unit.keys) if key])
    unit.facts = {**theirs.facts, **unit.facts}
    unit.bound = {**theirs.bound, **unit.bound}
    unit.save()
    _join_places(device, other)
    if device.universe is None:
        device.universe, device.shares = other.universe, device.shares or other.shares
    if other.seen and device.status in ("missing", "planned"):
        device.status, device.reasons = "known" if device.taken_in else other.status, []
    device.version += 1
    device.save(
        update_fields=[
            "profile",
            "line",
            "address",
            "speed",
            "places",
            "placed",
            "seen",
            "status",
            "reasons",
            "version",
            "universe",
            "shares",
        ]
    )
    merge(device, other)
    return device


def _join_places(device: Device, other: Device) -> None:
    if not model_of(device.profile):
        device.profile = model_of(other.profile) or device.profile or other.profile
    if not device.line_id:
        device.line_id, device.address, device.speed = other.line_id, other.address, other.speed
    mine = Place(device.line_id or "", device.address, device.speed)
    theirs = [Place(other.line_id or "", other.address, other.speed), *(Place(**p) for p in other.places)]
    places = dict.fromkeys([*(Place(**p) for p in device.places), *theirs])
    device.places = [asdict(place) for place in places if place != mine and place.line and place.address]
    device.seen = max((seen for seen in (device.seen, other.seen) if seen), default=None)
    device.placed = max((at for at in (device.placed, other.placed) if at), default=None)


@transaction.atomic
def part(device: Device, keys: list[str]) -> Device:
    """Say that these keys are not the device's: what tells them is another device, from the next sweep on."""
    unit = unit_of(device)
    mine = set(unit.keys) | {unit.identity_key}
    unknown = [key for key in keys if key not in mine]
    if unknown or not keys:
        raise RequestError(
            f"{device.name} is not known by {', '.join(unknown) or 'nothing'}.", "Choose one of its own."
        )
    left = [key for key in dict.fromkeys([unit.identity_key, *unit.keys]) if key and key not in keys]
    if not left:
        raise RequestError(
            f"Nothing would be left to know {device.name} by.", "Leave at least one, or remove the record."
        )
    unit.keys, unit.apart = left, list(dict.fromkeys([*unit.apart, *keys]))
    unit.identity_key = best_key(left)
    unit.save(update_fields=["keys", "apart", "identity_key"])
    device.version += 1
    device.save(update_fields=["version"])
    return device


def say(device: Device, profile: str, library: Library) -> list[str]:
    """A person says what it is; a sweep does not overrule that. Empty takes it back. Names the changed fields."""
    device.profile = library.need(profile).id if profile else ""
    device.said = bool(profile)
    if device.unit is not None:
        device.unit.guess = ""
        device.unit.save(update_fields=["guess"])
    if device.status == "unknown" and profile:
        device.status = "known" if device.taken_in else "new"
    return ["profile", "said", "status"]
