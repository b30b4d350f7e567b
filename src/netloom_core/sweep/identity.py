"""Fusing sightings into findings: who is it, and do we know it. Pure.

Maker and serial number name a device for good. A sighting without them belongs to
whoever was identified at the same place, else to the place alone.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass, field

from netloom_core.model.device import Identity
from netloom_core.model.line import address_key
from netloom_core.model.sighting import Sighting
from netloom_core.profiles.load import Library


@dataclass(frozen=True)
class Known:
    """A device on record. `key` is empty while nobody has seen it (planned only)."""

    device: str
    key: str
    profile: str
    line: str
    address: str
    speed: int = 0


@dataclass
class Finding:
    line: str
    address: str
    speed: int
    identity: Identity
    profile: str
    status: str
    device: str = ""
    methods: list[str] = field(default_factory=list)
    facts: dict[str, str] = field(default_factory=dict)


def key_of(facts: dict[str, str]) -> str:
    return Identity(maker=facts.get("maker", ""), serial=facts.get("serial", "")).key


# Which sighting's address counts when one device was seen at two: what answered us there
# itself comes before what was announced.
_DIRECT = {"http": 0, "osdp": 0, "connect": 1, "mdns": 2}


def fuse(sightings: Iterable[Sighting], known: Iterable[Known], library: Library) -> list[Finding]:
    """Findings in order of line and address, one for each identity, or place without one."""
    by_key: dict[str, list[Sighting]] = defaultdict(list)
    anonymous: dict[tuple[str, str, str], list[Sighting]] = defaultdict(list)
    for sighting in sightings:
        key = key_of(sighting.facts)
        if key:
            by_key[key].append(sighting)
        else:
            anonymous[sighting.line, sighting.address, sighting.facts.get("speed", "")].append(sighting)

    at_place: dict[tuple[str, str, str], list[str]] = defaultdict(list)
    places: dict[str, Sighting] = {}
    for key, seen in by_key.items():
        places[key] = min(seen, key=lambda s: (_DIRECT.get(s.method, 1), -s.time))
        place = places[key]
        at_place[place.line, place.address, place.facts.get("speed", "")].append(key)

    findings = []
    records = _Records(known)
    for key, seen in by_key.items():
        place = places[key]
        spot = (place.line, place.address, place.facts.get("speed", ""))
        finding = _finding(place, [*seen, *anonymous.get(spot, [])], library)
        finding.device, finding.status = records.match(finding, key)
        if len(at_place[spot]) > 1:
            finding.status = "duplicate"
        findings.append(finding)
    for spot, seen in anonymous.items():
        if spot not in at_place:
            finding = _finding(seen[0], seen, library)
            garbled = any(s.facts.get("garbled") for s in seen)
            finding.device = records.at(finding.line, finding.address)
            finding.status = "duplicate" if garbled else "unknown"
            findings.append(finding)
    return sorted(findings, key=lambda f: (f.line, f.speed, address_key(f.address)))


def _finding(place: Sighting, seen: list[Sighting], library: Library) -> Finding:
    facts: dict[str, str] = {}
    for sighting in sorted(seen, key=lambda s: -_DIRECT.get(s.method, 1)):
        facts.update(sighting.facts)
    profile = library.best(facts)
    identity = Identity(
        maker=facts.get("maker", ""),
        model=facts.get("model", ""),
        serial=facts.get("serial", ""),
        firmware=facts.get("firmware", ""),
        facts=facts,
    )
    speed = place.facts.get("speed", "")
    return Finding(
        line=place.line,
        address=place.address,
        speed=int(speed) if speed.isdecimal() else 0,
        identity=identity,
        profile=profile.id if profile else "",
        status="unknown",
        methods=sorted({sighting.method for sighting in seen}),
        facts=facts,
    )


class _Records:
    def __init__(self, known: Iterable[Known]) -> None:
        self._by_key: dict[str, Known] = {}
        self._by_place: dict[tuple[str, str], list[Known]] = defaultdict(list)
        for record in known:
            if record.key:
                self._by_key[record.key] = record
            self._by_place[record.line, record.address].append(record)

    def match(self, finding: Finding, key: str) -> tuple[str, str]:
        record = self._by_key.get(key)
        if record is not None:
            here = (record.line, record.address, record.speed) == (finding.line, finding.address, finding.speed)
            return record.device, "known" if here else "moved"
        for planned in self._by_place[finding.line, finding.address]:
            if not planned.key and planned.profile == finding.profile and finding.profile:
                return planned.device, "known"
        return "", "new" if finding.profile else "unknown"

    def at(self, line: str, address: str) -> str:
        """A record without identity at that place; a garbled or mute answer cannot be more."""
        return next((r.device for r in self._by_place[line, address] if not r.key and not r.profile), "")
