"""Putting a sweep's result on record: who is known, new, moved, missing; who came and went."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from datetime import UTC, datetime

from django.db import transaction
from django.db.models import Count, Q
from django.utils import timezone

from netloom_core.absence.explain import Absent
from netloom_core.identity.keys import best_key
from netloom_core.library.load import Library
from netloom_core.library.standard import PREFIX, is_standard, model_of, only_elsewhere, standard_rank
from netloom_core.model.said import Of, Seen, word
from netloom_core.profiles.profile import Profile
from netloom_core.sweep.finding import BY_IPV6, Finding, Place
from netloom_core.sweep.guess import guess
from netloom_core.sweep.sweep import SweepResult
from netloom_server.installation.models import Change, CommonKey, Device, Line, Sighting, Unit
from netloom_server.installation.services.fitting import merge, remove, unit_of
from netloom_server.installation.services.readings import MISSED, firmware_told

KEEP_SIGHTINGS_PER_DEVICE = 200
KEEP_SIGHTINGS_OF_NOBODY = 20_000
KEEP_CHANGES = 5000
MAX_KEYS = 40
MAX_PLACES = 12
MAX_COMMON = 2000
UNKNOWN = "Unknown"
# What a device without a model calls itself, the surest first.
NAMES = ("host", "instance", "title", "certificate_name")
FOUND_FIELDS = [
    "maker", "model", "serial", "firmware", "keys", "ways", "shared", "identity_key", "facts", "guess", "switch",
]  # fmt: skip
Pairs = list[tuple[Device, Finding]]


def is_noise(finding: Finding) -> bool:
    """Bytes without sense are evidence for absences, but nobody; so is one that only IPv6 still shows."""
    return bool(finding.facts.get("noise")) or finding.status == BY_IPV6


def _device_for(finding: Finding, taken: set[str]) -> Device:
    """The record that the finding belongs to, made when nobody has it yet."""
    if finding.device and finding.device not in taken:
        known = Device.objects.filter(id=finding.device).first()
        if known is not None:
            return known
    return Device.objects.create(name=_first_name(finding), taken_in=False)


def _first_name(finding: Finding) -> str:
    ident = finding.identity
    if finding.facts.get("garbled"):
        return f"Two at once at {finding.address}"[:80]
    told = next((finding.facts[name] for name in NAMES if finding.facts.get(name)), "")
    if told and not ident.model:
        return told[:80]
    base = ident.model or ident.maker or UNKNOWN
    return f"{base} {ident.serial or 'at ' + finding.address}"[:80]


def _better_name(device: Device, finding: Finding) -> bool:
    """One that nobody could name before, and that tells its name now."""
    if device.taken_in or not device.name.startswith(f"{UNKNOWN} "):
        return False
    name = _first_name(finding)
    if name.startswith(f"{UNKNOWN} "):
        return False
    device.name = name
    return True


@transaction.atomic
def record(run: str, lines: list[str], result: SweepResult, library: Library) -> Pairs:
    """Save findings. Planned places, names of people, and what people said are not touched."""
    now = timezone.now()
    pairs: Pairs = []
    taken: set[str] = set()
    _note_common(result.common)
    names = dict(Line.objects.values_list("id", "name"))
    for finding in result.findings:
        if is_noise(finding):
            continue
        device = _device_for(finding, taken)
        before = (device.status, device.address, device.line_id)
        _take_over_facts(device, finding, library, result.common)
        changed = _take_over_place(device, finding)
        device.methods, device.reasons, device.seen = finding.methods, [], now
        if _better_name(device, finding):
            changed.append("name")
        device.save(update_fields=[*changed, "profile", "methods", "reasons", "seen"])
        taken.add(device.id)
        pairs.append((device, finding))
        _absorb(device, finding)
        _note_coming(device, before, names)
    for line in Line.objects.filter(id__in=lines):
        troubles = [t["message"] for t in result.troubles if t["line"] == line.id]
        line.trouble, line.swept = (troubles[0] if troubles else "")[:400], now
        line.reports = [report.as_dict() for report in result.reports if report.line == line.id]
        line.save(update_fields=["trouble", "swept", "reports"])
    _keep_sightings(run, pairs, result)
    if result.complete:
        _forget_passers_by(lines, {device.id for device, _ in pairs})
    return pairs


def _note_common(common: dict[str, str]) -> None:
    """Keys that proved to name nobody here are kept, and taken from every unit that was known by them."""
    before = set(CommonKey.objects.values_list("key", flat=True))
    fresh = {key[:250]: why[:400] for key, why in common.items() if key not in before}
    for key, why in list(fresh.items())[: max(0, MAX_COMMON - len(before))]:
        CommonKey.objects.create(key=key, why=why)
    if not fresh:
        return
    for unit in Unit.objects.exclude(keys=[]):
        mine = {key: fresh[key] for key in unit.keys if key in fresh and key not in unit.shared}
        if mine:
            unit.shared = {**unit.shared, **mine}
            unit.save(update_fields=["shared"])


def _take_over_facts(device: Device, finding: Finding, library: Library, common: dict[str, str]) -> None:
    ident = finding.identity
    device.profile = _profile_of(device, finding, library)
    unit = unit_of(device, by="sweep")
    unit.maker = (ident.maker or unit.maker)[:120]
    unit.model = (ident.model or unit.model)[:120]
    unit.serial = (ident.serial or unit.serial)[:120]
    unit.keys = list(dict.fromkeys([*unit.keys, *finding.keys]))[:MAX_KEYS]
    told = {key: sorted({*unit.ways.get(key, []), *ways}) for key, ways in finding.ways.items()}
    unit.ways = {key: ways for key, ways in {**unit.ways, **told}.items() if key in unit.keys}
    unit.shared = {**unit.shared, **{key: why for key, why in finding.shared.items() if key in common}}
    unit.identity_key = best_key([*([unit.identity_key] if unit.identity_key else []), *unit.keys])[:250]
    unit.facts = finding.facts
    unit.firmware = firmware_told(unit, ident.firmware, library.get(device.profile))
    unit.guess = "" if model_of(device.profile) else guess(finding.facts, library)[:200]
    if finding.facts.get("switch"):
        facts = finding.facts
        unit.switch = {
            "address": facts["switch"],
            "port": facts.get("switch_port", ""),
            "interface": facts.get("switch_interface", ""),
        }
    unit.save(update_fields=FOUND_FIELDS)


def _profile_of(device: Device, finding: Finding, library: Library) -> str:
    """The one it has; what a standard alone gave gives way to a model's, or to more of a standard, until a person
    decided anything by it."""
    had, found = device.profile, finding.profile
    if device.said or (had and not found):
        return had
    if not had or only_elsewhere(found, had) or (is_standard(had) and not is_standard(found) and _undecided(device)):
        return found
    if is_standard(had) and _undecided(device):
        before, now = library.get(had), library.get(found)
        return found if before is None or (now is not None and _gives(now) > _gives(before)) else had
    return had


def _undecided(device: Device) -> bool:
    return not (device.taken_in or device.intended)


def _gives(profile: Profile) -> tuple[int, int]:
    """How much a standard's profile gives: the surer standard first, then the more values."""
    return -standard_rank(profile), len(profile.written_out)


def _take_over_place(device: Device, finding: Finding) -> list[str]:
    """Where it was found; names the fields that changed. A place proven after these sightings stays."""
    shown = datetime.fromtimestamp(max((s.time for s in finding.sightings), default=0.0), UTC)
    usual = "known" if device.taken_in else ("new" if model_of(device.profile) else "unknown")
    if device.placed is not None and device.placed > shown:
        device.status = "duplicate" if finding.status == "duplicate" else usual
        return ["status"]
    home = Place(device.line_id or "", device.address, device.speed)
    main = _main_place(finding, home)
    # What was at other lines and was not swept now is still believed.
    others = [Place(**p) for p in device.places if p["line"] not in {place.line for place in finding.places}]
    elsewhere = dict.fromkeys([*(p for p in finding.places if p != main), *(p for p in others if p != main)])
    device.line_id, device.address, device.speed = main.line, main.address, main.speed
    device.places = [asdict(place) for place in elsewhere][:MAX_PLACES]
    device.placed = shown
    device.status = finding.status if finding.status in ("moved", "duplicate") else usual
    if finding.status == "moved" and not device.taken_in:
        device.status = usual
    return ["line", "address", "speed", "places", "placed", "status"]


def _main_place(finding: Finding, home: Place) -> Place:
    """Where it was, if it is there still; else one on its line; else where it answers most directly."""
    if home in finding.places:
        return home
    best = Place(finding.line, finding.address, finding.speed)
    if best.line == home.line:
        return best
    return next((p for p in finding.places if p.line == home.line), best)


def _absorb(device: Device, finding: Finding) -> None:
    """Records that a sweep made and nobody took in, and that proved to be this device."""
    for other in Device.objects.filter(id__in=finding.same_as, taken_in=False):
        merge(device, other)


def _note_coming(device: Device, before: tuple[str, str, str | None], names: dict[str, str]) -> None:
    status, address, line = before
    if status == "planned" and not device.taken_in:
        what = "came"
    elif status == MISSED:
        what = "back"
    elif address and (address, line) != (device.address, device.line_id):
        what = "moved"
    elif status == "planned":
        what = "came"
    else:
        return
    _note(device, what, names)


def _note(device: Device, what: str, names: dict[str, str]) -> None:
    line = names.get(device.line_id or "", "")
    Change.objects.create(device=device, name=device.name, line=line, address=device.address, what=what)


def missing_devices(lines: Sequence[str], pairs: Pairs) -> list[Device]:
    """Devices of the installation on these lines that the sweep did not see."""
    seen = {device.id for device, _ in pairs}
    return list(Device.objects.filter(line_id__in=lines, taken_in=True).exclude(id__in=seen).select_related("line"))


@transaction.atomic
def record_missing(absents: Sequence[Absent], begun: datetime) -> None:
    """Who was shown to be somewhere after the sweep had begun is not missing, whatever it saw."""
    names = dict(Line.objects.values_list("id", "name"))
    for absent in absents:
        device = Device.objects.filter(id=absent.device).first()
        if device is None or any(at is not None and at > begun for at in (device.placed, device.seen)):
            continue
        gone = absent.seen is Seen.NOT_TOLD
        if gone and device.status != MISSED and device.seen is not None:
            _note(device, "went", names)
        if gone or device.status != MISSED:  # who was missed before is so still
            device.status = word(Of.PLACE, absent.seen)
        device.reasons = [reason.as_dict() for reason in absent.reasons]
        device.save(update_fields=["status", "reasons"])


def _forget_passers_by(lines: list[str], seen: set[str]) -> None:
    """Somebody who was only passing by and is gone leaves the picture, not the evidence."""
    nameless = Q(profile="") | Q(profile__startswith=PREFIX)
    passing = Device.objects.filter(nameless, line_id__in=lines, taken_in=False, said=False, intended={})
    for device in passing.exclude(id__in=seen):
        remove(device)
    old = Change.objects.order_by("-id").values_list("id", flat=True)[KEEP_CHANGES : KEEP_CHANGES + 1].first()
    if old:
        Change.objects.filter(id__lte=old).delete()


def _keep_sightings(run: str, pairs: Pairs, result: SweepResult) -> None:
    owner = {id(sighting): device.id for device, finding in pairs for sighting in finding.sightings}
    Sighting.objects.bulk_create(
        Sighting(
            run=run,
            device_id=owner.get(id(s)),
            line_id=s.line,
            address=s.address,
            method=s.method,
            facts=s.facts,
            time=datetime.fromtimestamp(s.time, UTC),
        )
        for s in result.sightings
    )
    _forget_old([device.id for device, _ in pairs])


def _forget_old(devices: list[str]) -> None:
    """The newest evidence of each device is kept, so that years of sweeps do not fill the disk."""
    seen = Sighting.objects.filter(device_id__in=devices).values("device_id").annotate(count=Count("id"))
    for device in seen.filter(count__gt=KEEP_SIGHTINGS_PER_DEVICE).values_list("device_id", flat=True):
        mine = Sighting.objects.filter(device_id=device)
        newest = mine.order_by("-id").values_list("id", flat=True)[:KEEP_SIGHTINGS_PER_DEVICE]
        mine.exclude(id__in=list(newest)).delete()
    nobody = Sighting.objects.filter(device=None).order_by("-id").values_list("id", flat=True)
    if old := nobody[KEEP_SIGHTINGS_OF_NOBODY : KEEP_SIGHTINGS_OF_NOBODY + 1].first():
        Sighting.objects.filter(device=None, id__lte=old).delete()
