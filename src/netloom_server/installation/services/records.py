"""Records of devices: documents read, counts of what differs, targets for the core."""

from __future__ import annotations

import copy
from collections.abc import Iterable, Mapping
from datetime import datetime
from typing import Any

from django.db import transaction

from netloom_core.backup.verify import Evidence, Proof, losses, verify
from netloom_core.documents.diff import towards
from netloom_core.documents.tree import digest, get, remove
from netloom_core.errors import KeyLost
from netloom_core.model.device import Credentials, Identity, Target
from netloom_core.model.secrets import reference
from netloom_core.plan.planner import would_be_kept
from netloom_core.profiles.load import Library
from netloom_core.profiles.schema import Profile
from netloom_core.sweep.identity import Known, Place
from netloom_server.backups.models import Backup, Document
from netloom_server.base.problems import Conflict, NotFound
from netloom_server.base.sealing import unseal
from netloom_server.installation.models import Device
from netloom_server.installation.services.fitting import unit_of

MAX_WORD = 200


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


def names_of(idents: Iterable[str]) -> dict[str, str]:
    return dict(Device.objects.filter(id__in=set(idents)).values_list("id", "name"))


def with_access(idents: Iterable[str]) -> dict[str, Device]:
    """Devices by id with their lines, credentials and secrets."""
    found = Device.objects.select_related("line", "credential").prefetch_related("secrets")
    return found.in_bulk(list(idents))


def chosen(words: Iterable[str] | None) -> list[Device]:
    """Devices by words, each once; all that were taken in where nothing is said."""
    if not words:
        return list(Device.objects.filter(taken_in=True).order_by("name"))
    return list({device.id: device for device in map(resolve, words)}.values())


def target_of(device: Device, library: Library) -> Target:
    if device.line is None:
        raise NotFound(f"{device.name} is on no line.", "Say which line it is on.")
    profile = library.get(device.profile)
    credentials: list[Credentials] = []
    secrets: dict[str, str] = {}
    trouble = ""
    try:
        own = getattr(device, "credential", None)
        if own is not None:
            credentials.append(Credentials(own.user, unseal(own.secret)))
        elif profile is not None and profile.factory.user:
            credentials.append(Credentials(profile.factory.user, profile.factory.password))
        secrets = {reference(one.id): unseal(bytes(one.secret)) for one in device.secrets.all()}
    except KeyLost as error:
        trouble = error.message
    return Target(
        device=device.id,
        name=device.name,
        profile=device.profile,
        line=device.line.as_core(),
        address=device.address,
        speed=device.speed,
        keys=keys_for(device),
        maker=profile.maker if profile else device.maker,
        models=(profile.model, *profile.aliases) if profile else (device.model,),
        found=bool(device.seen or device.identity_key),
        credentials=tuple(credentials),
        secrets=secrets,
        trouble=trouble,
    )


def keys_for(device: Device) -> tuple[str, ...]:
    """What names the device, best first; without what a person said is not its."""
    keys = dict.fromkeys([*([device.identity_key] if device.identity_key else []), *device.keys])
    return tuple(key for key in keys if key not in device.apart)


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
        )
        for d in devices
        if d.line_id or d.identity_key
    ]


def can_be_read(device: Device, library: Library) -> bool:
    """Whether there is a driver for it on the kind of line that it is on."""
    profile = library.get(device.profile)
    return bool(profile and device.line and profile.driver_on(device.line.kind))


def baseline_of(device: Device) -> Backup | None:
    return Backup.objects.filter(device=device, baseline=True).order_by("-taken").first()


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
    """What a proof from the last reading is made of."""
    baseline = baseline_of(device)
    documents = Document.load_many({device.running, device.startup, baseline.running_id if baseline else ""})
    return Evidence(
        device.name,
        library.get(device.profile),
        documents.get(baseline.running_id, {}) if baseline else None,
        documents.get(device.running, {}),
        documents.get(device.startup, {}),
        device.unit.lost if device.unit else {},
    )


def prove(device: Device, library: Library) -> Proof:
    return verify(evidence_of(device, library))


def recount(device: Device, library: Library) -> None:
    """Bring `counts` up to date; saves only them."""
    evidence = evidence_of(device, library)
    profile, running = evidence.profile, evidence.running
    counts = {"pending": len(pending(profile, device, running)), "unkept": 0, "drift": 0, "lost": 0}
    if profile is not None and running:
        counts["unkept"] = len(would_be_kept(profile, running, evidence.startup))
        for item in verify(evidence).differences:
            if item["kind"] in ("drift", "lost"):
                counts[item["kind"]] += 1
    device.counts = counts
    Device.objects.filter(id=device.id).update(counts=counts)


@transaction.atomic
def save_reading(
    ident: str,
    documents: Mapping[str, dict[str, Any]],
    identity: Identity | None,
    time: datetime,
    library: Library,
) -> None:
    """What a device was just read to have, asked for at `time`. What was read later stays."""
    device = Device.objects.filter(id=ident).first()
    if device is None:
        return
    unit = unit_of(device)
    if unit.read is not None and unit.read > time:
        return
    fields = ["read", "read_trouble"]
    unit.read, unit.read_trouble = time, ""
    if identity is not None and (identity.firmware or identity.facts):
        unit.firmware = identity.firmware[:60] or unit.firmware
        unit.facts = {**unit.facts, **identity.facts}
        fields += ["firmware", "facts"]
    now = {name: digest(document) for name, document in documents.items() if document}
    before = (unit.running, unit.startup)
    after = (now.get("running", unit.running), now.get("startup", unit.startup))
    if after == before:
        unit.save(update_fields=fields)
        return
    for name, document in documents.items():
        if document and now[name] not in before:
            Document.keep(document)
    held = Document.load_many({*before, *after})
    unit.lost = losses(
        (held.get(before[0], {}), held.get(before[1], {})), (held.get(after[0], {}), held.get(after[1], {})), unit.lost
    )
    unit.running, unit.startup = after
    unit.save(update_fields=[*fields, "running", "startup", "lost"])
    recount(device, library)
