"""Records of devices: documents read, counts of what differs, targets for the core."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from django.utils import timezone

from netloom_core.backup.verify import Proof, verify
from netloom_core.model.device import Credentials, Target
from netloom_core.plan.diff import towards
from netloom_core.plan.documents import digest
from netloom_core.plan.planner import is_staged, unkept_paths
from netloom_core.profiles.load import Library
from netloom_core.profiles.schema import Profile
from netloom_core.sweep.identity import Known, Place
from netloom_server.backups.models import Backup, Document
from netloom_server.config.problems import Conflict, NotFound
from netloom_server.engine.secrets import unseal
from netloom_server.installation.models import Device

MAX_WORD = 200


def resolve(word: str) -> Device:
    """A device by id, name, serial number or address, where that is unambiguous."""
    word = str(word)[:MAX_WORD]
    base, _, line = word.partition("@")
    devices = Device.objects.all()
    if line:
        devices = devices.filter(line__name__iexact=line)
    for test in ({"id": base}, {"name__iexact": base}, {"serial__iexact": base}, {"address": base}):
        found = list(devices.filter(**test)[:3])
        if len(found) == 1:
            return found[0]
        if found:
            names = ", ".join(f"{one.name} ({one.id})" for one in found)
            raise Conflict(f"{word!r} fits several devices: {names}.", "Use the id in brackets.")
    raise NotFound(f"There is no device {word!r}.", "`netloom devices` lists all names, serial numbers and addresses.")


def with_access(idents: Iterable[str]) -> dict[str, Device]:
    """Devices by id with their lines and credentials, in one query."""
    found: dict[str, Device] = Device.objects.select_related("line", "credential").in_bulk(list(idents))
    return found


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
    own = getattr(device, "credential", None)
    if own is not None:
        credentials.append(Credentials(own.user, unseal(own.secret)))
    elif profile is not None and profile.factory.user:
        credentials.append(Credentials(profile.factory.user, profile.factory.password))
    return Target(
        device=device.id,
        name=device.name,
        profile=device.profile,
        line=device.line.as_core(),
        address=device.address,
        speed=device.speed,
        identity_key=device.identity_key,
        credentials=tuple(credentials),
    )


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


def pending(profile: Profile | None, device: Device, running: dict[str, Any]) -> list[dict[str, Any]]:
    """Intended against running; nothing while the device was never read."""
    if profile is None or not device.running:
        return []
    return [c.as_dict() for c in towards(running, device.intended) if c.path in profile.by_path]


def prove(device: Device, library: Library, *, trouble: str = "") -> Proof:
    """The proof from what was last read; `trouble` when it could not be read just now."""
    baseline = baseline_of(device)
    earlier = (device.earlier, device.earlier_startup)
    documents = Document.load_many({device.running, device.startup, *earlier, baseline.running_id if baseline else ""})
    return verify(
        library.get(device.profile),
        documents.get(baseline.running_id) if baseline else None,
        None if trouble else documents.get(device.running),
        documents.get(device.startup),
        earlier=(documents[earlier[0]], documents[earlier[1]]) if all(earlier) else None,
        message=trouble,
    )


def recount(device: Device, library: Library) -> None:
    """Bring `counts` up to date; saves only them."""
    profile = library.get(device.profile)
    documents = Document.load_many({device.running, device.startup})
    running, startup = documents.get(device.running, {}), documents.get(device.startup, {})
    counts = {"pending": len(pending(profile, device, running)), "unkept": 0, "drift": 0, "lost": 0}
    if profile is not None and running:
        loose = unkept_paths(profile, running, startup)
        counts["unkept"] = len([path for path in loose if not is_staged(profile, path)])
        for item in prove(device, library).differences:
            if item["kind"] in counts and item["kind"] != "unkept":
                counts[item["kind"]] += 1
    device.counts = counts
    device.save(update_fields=["counts"])


def save_documents(which: Device | str, documents: Mapping[str, dict[str, Any]], library: Library) -> Device:
    """What a device was just read to have. Mostly it is what it had: then only the time is noted."""
    device = which if isinstance(which, Device) else Device.objects.select_related("line").get(id=which)
    names = {name: digest(document) if document else "" for name, document in documents.items()}
    before = (device.running, device.startup)
    now = (names.get("running", device.running), names.get("startup", device.startup))
    device.read, device.read_trouble = timezone.now(), ""
    if now == before:
        device.save(update_fields=["read", "read_trouble"])
        return device
    for name, document in documents.items():
        if document and names[name] not in before:
            Document.keep(document)
    if device.running and device.running != now[0]:
        device.earlier, device.earlier_startup = before
    device.running, device.startup = now
    device.save(update_fields=["running", "startup", "earlier", "earlier_startup", "read", "read_trouble"])
    recount(device, library)
    return device
