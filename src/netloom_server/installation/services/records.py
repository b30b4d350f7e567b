"""Records of devices: documents read, counts of what differs, targets for the core."""

from __future__ import annotations

import copy
from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

import orjson

from netloom_core.backup.verify import Evidence, Proof, verify
from netloom_core.documents.diff import towards
from netloom_core.documents.tree import get, remove
from netloom_core.errors import KeyLost
from netloom_core.library.load import Library
from netloom_core.model import line as core
from netloom_core.model.device import Credentials, Target
from netloom_core.model.secrets import reference
from netloom_core.model.snmp import USUAL_COMMUNITY, SnmpAccess, SnmpUser
from netloom_core.plan.planner import known_unkept
from netloom_core.profiles.profile import Profile
from netloom_core.sweep.finding import Known, Place
from netloom_server.backups.models import Backup, Document
from netloom_server.base.problems import Conflict, NotFound
from netloom_server.base.sealing import unseal
from netloom_server.installation.models import CommonKey, Device, Line
from netloom_server.installation.services import logins
from netloom_server.installation.services.together import forbidden

MAX_WORD = 200
MOST_LOGINS = 2  # of a line, tried at one camera
FEW = 20


def resolve(word: str) -> Device:
    """A device by id, name, serial number or address, where that is unambiguous."""
    word = str(word)[:MAX_WORD]
    base, _, line = word.partition("@")
    devices = Device.objects.all()
    if line:
        devices = devices.filter(line__name__iexact=line)
    for test in ({"id": base}, {"name__iexact": base}, {"unit__serial__iexact": base}, {"address": base}):
        found = list(devices.filter(**test)[:3])
        if len(found) == 1:
            return found[0]
        if found:
            names = ", ".join(f"{one.name} ({one.id})" for one in found)
            raise Conflict(f"{word!r} fits several devices: {names}.", "Use the id in brackets.")
    raise NotFound(f"There is no device {word!r}.", "`netloom devices` lists all names, serial numbers and addresses.")


def resolve_all(words: Iterable[str]) -> dict[str, Device]:
    """Devices by the words that mean them; ids, which pages use, are looked up all at once."""
    wanted = list(dict.fromkeys(words))
    by_id = Device.objects.select_related("line").in_bulk(wanted)
    left = [word for word in wanted if word not in by_id]
    named: dict[str, list[Device]] = defaultdict(list)
    if len(left) > FEW:  # names of hundreds: one look at all of them
        for device in Device.objects.select_related("line"):
            named[device.name.casefold()].append(device)
    found = {}
    for word in wanted:
        fits = named.get(word.casefold(), [])
        found[word] = by_id.get(word) or (fits[0] if len(fits) == 1 else resolve(word))
    return found


def names_of(idents: Iterable[str]) -> dict[str, str]:
    return dict(Device.objects.filter(id__in=set(idents)).values_list("id", "name"))


def with_access(idents: Iterable[str]) -> dict[str, Device]:
    """Devices by id with their lines, credentials and secrets."""
    found = Device.objects.select_related("line", "line__access").prefetch_related("secrets", "logins")
    return found.in_bulk(list(idents))


def chosen(words: Iterable[str] | None) -> list[Device]:
    """Devices by words, each once; all that were taken in where nothing is said."""
    if not words:
        return list(Device.objects.filter(taken_in=True, line__archived=None).order_by("name"))
    return list({device.id: device for device in map(resolve, words)}.values())


def networks_in_use() -> tuple[core.Line, ...]:
    return tuple(line.as_core() for line in Line.objects.filter(kind="ip", archived=None))


def target_of(
    device: Device, library: Library, networks: Sequence[core.Line] = (), shared: logins.Shared | None = None
) -> Target:
    """`networks` are those to which it may be moved; those on its own interface come first. `shared` are the logins for
    many, looked up where they are not given."""
    if device.line is None:
        raise NotFound(f"{device.name} is on no line.", "Say which line it is on.")
    if device.line.archived is not None:
        raise Conflict(
            f"{device.name} is on {device.line.name}, which is archived.",
            "Bring the line back first. Nothing was sent to the device.",
        )
    profile = library.get(device.profile)
    credentials: tuple[Credentials, ...] = ()
    secrets: dict[str, str] = {}
    trouble = ""
    try:
        secrets = {reference(one.id): unseal(bytes(one.secret)) for one in device.secrets.all()}
        cameras = _of_cameras(device.line) if profile is not None and profile.speaks("onvif") else []
        many = logins.shared() if shared is None else shared
        credentials = logins.of(device, profile, many, cameras, secrets)
    except KeyLost as error:
        trouble = error.message
    interface = device.line.interface
    return Target(
        device=device.id,
        name=device.name,
        profile=device.profile,
        line=device.line.as_core(),
        address=device.address,
        speed=device.speed,
        keys=keys_for(device),
        maker=(profile.maker if profile else "") or device.maker,
        models=(profile.model, *profile.aliases) if profile and profile.maker else (device.model,),
        found=bool(device.seen or device.identity_key),
        credentials=credentials,
        secrets=secrets,
        trouble=trouble,
        pins=_pins(device, profile),
        nearby=tuple(sorted(networks, key=lambda one: one.interface != interface)),
        snmp=_snmp(device.line) if profile is not None and profile.speaks("snmp") else SnmpAccess(),
    )


def _pins(device: Device, profile: Profile | None) -> dict[str, str]:
    """The host key that it showed to a console, the certificate that it showed when it was first read."""
    if profile is None:
        return {}
    tls = {"tls": pin} if (pin := device.pins.get("tls")) else {}
    if not any(way.over == "ssh" for way in profile.of_protocol("dialogue")):
        return tls
    kept = getattr(device, "host_key", None)
    return {**tls, "ssh": kept.fingerprint} if kept else tls


def _given(line: Line) -> dict[str, Any]:
    """What people gave for all devices of a line; nothing where this installation cannot read it any more."""
    kept = getattr(line, "access", None)
    try:
        return dict(orjson.loads(unseal(bytes(kept.secret)))) if kept else {}
    except KeyLost:
        return {}


def _snmp(line: Line) -> SnmpAccess:
    """How the agents of a line are asked; with the usual community where nothing else can be had."""
    data = _given(line)
    users = tuple(SnmpUser(**user) for user in data.get("users", []))
    return SnmpAccess(tuple(data.get("communities") or (USUAL_COMMUNITY,)), users)


def _of_cameras(line: Line) -> list[Credentials]:
    """The logins for cameras of the line that have none of their own; few, since many lock after some wrong ones."""
    return [Credentials(one["name"], one["password"]) for one in _given(line).get("onvif", [])[:MOST_LOGINS]]


def keys_for(device: Device) -> tuple[str, ...]:
    """What names the device, best first; without what a person said is not its, and what others bear, too."""
    keys = dict.fromkeys([*([device.identity_key] if device.identity_key else []), *device.keys])
    return tuple(key for key in keys if key not in device.apart and key not in device.shared)


def known_of(devices: Iterable[Device]) -> list[Known]:
    return [
        Known(
            device=d.id,
            key=d.identity_key,
            profile=d.profile,
            line=d.line_id or "",
            address=d.address,
            speed=d.speed,
            keys=tuple(d.keys),
            places=tuple(Place(p["line"], p["address"], p["speed"]) for p in d.places),
            host=d.facts.get("host", ""),
            apart=tuple(d.apart),
            ways={key: tuple(ways) for key, ways in d.ways.items()},
        )
        for d in devices
        if d.line_id or d.identity_key
    ]


def common_keys() -> dict[str, str]:
    """Keys that name nobody here, with the reason."""
    return dict(CommonKey.objects.values_list("key", "why"))


def can_be_read(device: Device, library: Library) -> bool:
    """Whether there is a driver for it on the kind of line that it is on."""
    profile = library.get(device.profile)
    return bool(profile and device.line and profile.channel_for(device.line.kind, device.line.protocol))


def baseline_of(device: Device) -> Backup | None:
    return baselines_of([device.id]).get(device.id)


def baselines_of(idents: Iterable[str]) -> dict[str, Backup]:
    """The newest baseline of each device that has one."""
    found = Backup.objects.filter(device__in=list(idents), baseline=True).order_by("number")
    return {backup.device_id: backup for backup in found if backup.device_id}


def wanted_of(device: Device, profile: Profile | None) -> dict[str, Any]:
    """What people decided and still has to be written, but for what a reading shows: a secret that was
    written is not written again for want of a reading."""
    wanted = copy.deepcopy(device.intended)
    written = device.unit.secrets if device.unit else {}
    for path, reference_ in written.items():
        if get(wanted, path) == reference_ and profile is not None and path in profile.by_path:
            remove(wanted, path)
    return wanted


def pending(profile: Profile | None, device: Device, running: dict[str, Any]) -> list[dict[str, Any]]:
    """Intended against running; nothing while the device was never read."""
    if profile is None or not device.running:
        return []
    return [c.as_dict() for c in towards(running, wanted_of(device, profile)) if c.path in profile.by_path]


def evidence_of(device: Device, library: Library) -> Evidence:
    return evidence_of_all([device], library)[device.id]


def evidence_of_all(
    devices: Sequence[Device], library: Library, held: Mapping[str, dict[str, Any]] | None = None
) -> dict[str, Evidence]:
    """What proofs from the last readings are made of. `held` are documents that are at hand, by digest."""
    baselines = baselines_of(device.id for device in devices)
    documents = dict(held or {})
    names = {name for device in devices for name in (device.running, device.startup)}
    names |= {backup.running_id for backup in baselines.values()}
    documents |= Document.load_many(names - documents.keys())
    return {device.id: _evidence(device, baselines.get(device.id), documents, library) for device in devices}


def _evidence(
    device: Device, baseline: Backup | None, documents: Mapping[str, dict[str, Any]], library: Library
) -> Evidence:
    return Evidence(
        device.name,
        library.get(device.profile),
        documents.get(baseline.running_id, {}) if baseline else None,
        documents.get(device.running, {}),
        documents.get(device.startup, {}),
        device.unit.lost if device.unit else {},
        device.unreadable,
        device.unit.read.timestamp() if device.unit and device.unit.read else 0.0,
    )


def prove(device: Device, library: Library) -> Proof:
    return verify(evidence_of(device, library))


def recount(device: Device, library: Library) -> None:
    """Bring `counts` up to date; saves only them, where they differ."""
    recount_all([device], library)


def recount_all(devices: Sequence[Device], library: Library, held: Mapping[str, dict[str, Any]] | None = None) -> None:
    for device, evidence in zip(devices, evidence_of_all(devices, library, held).values(), strict=True):
        profile, running = evidence.profile, evidence.running
        waits = pending(profile, device, running)
        placed = profile.of_slots or profile.of_place if profile is not None else frozenset()
        counts = {"pending": len(waits), "unkept": 0, "drift": 0, "lost": 0}
        counts["forbidden"] = forbidden(profile, device.intended, running)
        counts["place"] = sum(1 for change in waits if change["path"] in placed)
        if profile is not None and running:
            counts["unkept"] = len(known_unkept(profile, running, evidence.startup, evidence.unreadable))
            for item in verify(evidence).differences:
                if item["kind"] in ("drift", "lost"):
                    counts[item["kind"]] += 1
        if device.counts != counts:
            device.counts = counts
            Device.objects.filter(id=device.id).update(counts=counts)
