"""Fusing sightings into findings: who is it, and do we know it. Pure.

Facts that name a device have grades. What is of a higher grade is never overruled:

    1  maker and serial number       a device has one; two that differ are two devices
    2  RDM UID, UUID, USB serial     may be several on one device
    3  MAC address                   one for each interface; cloned ones exist
    4  the place in one sweep        whoever answers at one address is one, unless 1 to 3 differ
    5  the place on record, host     only for what tells nothing better, and only where unique

Sightings that share a fact are one device, grade by grade, unless their serial numbers
differ or a person said that they are apart. Devices on record take part like sightings,
so an old sighting's MAC leads to a serial number that only another method tells.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field

from netloom_core.identity.keys import GRADE, keys_of, kind_of, serial_part
from netloom_core.model.device import Identity
from netloom_core.model.line import address_key
from netloom_core.model.sighting import Sighting
from netloom_core.profiles.load import Library

# Whose facts and whose address count when several methods tell: what answered us there
# itself comes before what was announced or seen by somebody else.
_DIRECT = {
    "http": 0, "osdp": 0, "modbus": 0, "onvif": 0, "dialogue": 0, "behind": 0, "pjlink": 0, "snmp": 1,
    "mdns": 3, "ssdp": 3, "forwarding": 9,
}  # fmt: skip
_OTHER = 2


@dataclass(frozen=True)
class Place:
    line: str
    address: str
    speed: int = 0


@dataclass(frozen=True)
class Known:
    """A device on record. `key` is empty while nobody has seen it (planned only).

    `keys` are all facts that ever named it, `places` where else it was (two interfaces),
    `apart` keys that a person said are not its.
    """

    device: str
    key: str
    profile: str
    line: str
    address: str
    speed: int = 0
    keys: tuple[str, ...] = ()
    places: tuple[Place, ...] = ()
    host: str = ""
    apart: tuple[str, ...] = ()

    @property
    def everywhere(self) -> tuple[Place, ...]:
        return (Place(self.line, self.address, self.speed), *self.places)


@dataclass
class Finding:
    """One device as one sweep saw it. `same_as` are other records whose facts it has, too."""

    line: str
    address: str
    speed: int
    identity: Identity
    profile: str
    status: str
    device: str = ""
    methods: list[str] = field(default_factory=list)
    facts: dict[str, str] = field(default_factory=dict)
    keys: tuple[str, ...] = ()
    places: tuple[Place, ...] = ()
    same_as: tuple[str, ...] = ()
    sightings: list[Sighting] = field(default_factory=list)


class _Cluster:
    __slots__ = ("apart", "keys", "records", "seen", "serials")

    def __init__(self) -> None:
        self.keys: dict[str, None] = {}
        self.serials: set[str] = set()
        self.records: list[Known] = []
        self.seen: list[Sighting] = []
        self.apart: set[str] = set()

    def add_key(self, kind: str, key: str) -> None:
        self.keys[key] = None
        if kind == "serial":
            self.serials.add(serial_part(key))


class _Fusion:
    """Clusters by union and find, each with what it may not be joined with."""

    def __init__(self) -> None:
        self._up: list[int] = []
        self.clusters: list[_Cluster] = []

    def new(self) -> int:
        self._up.append(len(self._up))
        self.clusters.append(_Cluster())
        return len(self._up) - 1

    def find(self, n: int) -> int:
        while self._up[n] != n:
            self._up[n] = self._up[self._up[n]]
            n = self._up[n]
        return n

    def may_join(self, a: _Cluster, b: _Cluster) -> bool:
        if a.serials and b.serials and a.serials != b.serials:
            return False
        return not (a.apart and a.apart & b.keys.keys()) and not (b.apart and b.apart & a.keys.keys())

    def join(self, one: int, other: int) -> bool:
        """Whether they are one now."""
        one, other = self.find(one), self.find(other)
        if one == other:
            return True
        a, b = self.clusters[one], self.clusters[other]
        if not self.may_join(a, b):
            return False
        if len(a.seen) + len(a.keys) < len(b.seen) + len(b.keys):
            one, other, a, b = other, one, b, a
        self._up[other] = one
        a.keys.update(b.keys)
        a.serials |= b.serials
        a.records += b.records
        a.seen += b.seen
        a.apart |= b.apart
        return True

    def roots(self) -> list[_Cluster]:
        return [self.clusters[n] for n in range(len(self._up)) if self._up[n] == n]


def _spot(sighting: Sighting) -> tuple[str, str, str]:
    return sighting.line, sighting.address, sighting.facts.get("speed", "")


def fuse(sightings: Iterable[Sighting], known: Iterable[Known], library: Library) -> list[Finding]:
    """Findings in order of line and address, one for each device that was seen."""
    seen, records = list(sightings), list(known)
    fusion = _Fusion()
    holders: dict[int, dict[str, list[int]]] = {grade: defaultdict(list) for grade in (1, 2, 3)}
    for record in records:
        keys = dict.fromkeys([*([record.key] if record.key else []), *record.keys])
        if keys:
            number = fusion.new()
            cluster = fusion.clusters[number]
            cluster.records.append(record)
            cluster.apart = set(record.apart)
            for key in keys:
                kind = kind_of(key)
                cluster.add_key(kind, key)
                holders[GRADE[kind]][key].append(number)
    at_spot: dict[tuple[str, str, str], list[int]] = defaultdict(list)
    for sighting in seen:
        number = fusion.new()
        cluster = fusion.clusters[number]
        cluster.seen.append(sighting)
        for kind, key in keys_of(sighting.facts, library.maker):
            cluster.add_key(kind, key)
            holders[GRADE[kind]][key].append(number)
        if sighting.address:
            at_spot[_spot(sighting)].append(number)
    for grade in (1, 2, 3):
        for numbers in holders[grade].values():
            _join_all(fusion, numbers)
    for numbers in at_spot.values():
        _join_spot(fusion, numbers)
    return _findings(fusion, records, library)


def _join_all(fusion: _Fusion, numbers: Sequence[int]) -> None:
    """Join with the first that each may be joined with; those that clash stay side by side."""
    heads: list[int] = []
    for number in numbers:
        if not any(fusion.join(head, number) for head in heads):
            heads.append(number)


def _join_spot(fusion: _Fusion, numbers: Sequence[int]) -> None:
    """Whoever answers at one place is one, unless serial numbers or MAC addresses differ."""
    named = list(dict.fromkeys(fusion.find(n) for n in numbers if fusion.clusters[fusion.find(n)].keys))
    bare = [n for n in numbers if not fusion.clusters[fusion.find(n)].keys]
    named.sort(key=lambda n: not fusion.clusters[n].serials)
    heads: list[int] = []
    for number in named:
        mine = _macs(fusion.clusters[fusion.find(number)])
        for head in heads:
            theirs = _macs(fusion.clusters[fusion.find(head)])
            if (not mine or not theirs or mine & theirs) and fusion.join(head, number):
                break
        else:
            heads.append(number)
    for number in bare:
        _join_all(fusion, [*(heads or bare[:1]), number])


def _macs(cluster: _Cluster) -> set[str]:
    return {key for key in cluster.keys if key.startswith("mac:")}


def _findings(fusion: _Fusion, records: list[Known], library: Library) -> list[Finding]:
    by_place: dict[tuple[str, str], list[Known]] = defaultdict(list)
    by_host: dict[str, list[Known]] = defaultdict(list)
    for record in records:
        for place in record.everywhere:
            by_place[place.line, place.address].append(record)
        if record.host:
            by_host[record.host.casefold()].append(record)
    findings = []
    for cluster in fusion.roots():
        placed = [s for s in cluster.seen if s.address]
        if placed:
            finding = _finding(cluster, placed, library)
            findings.append((finding, cluster))
    hosts: dict[str, int] = defaultdict(int)
    for finding, _ in findings:
        hosts[finding.facts.get("host", "").casefold()] += 1
    claimed = {record.device for _, cluster in findings for record in cluster.records}
    spots: dict[tuple[str, str, int], int] = defaultdict(int)
    for finding, _ in findings:
        for place in finding.places:
            spots[place.line, place.address, place.speed] += 1
    for finding, cluster in findings:
        found = _record_for(finding, cluster, by_place, by_host, hosts, claimed)
        finding.status = _status(finding, found)
        if found is not None:
            finding.device = found.device
            finding.same_as = tuple(r.device for r in cluster.records if r.device != found.device)
            claimed.add(found.device)
        if any(spots[p.line, p.address, p.speed] > 1 for p in finding.places) or finding.facts.get("garbled"):
            finding.status = "duplicate"
    return sorted((f for f, _ in findings), key=lambda f: (f.line, f.speed, address_key(f.address)))


def _record_for(
    finding: Finding,
    cluster: _Cluster,
    by_place: dict[tuple[str, str], list[Known]],
    by_host: dict[str, list[Known]],
    hosts: dict[str, int],
    claimed: set[str],
) -> Known | None:
    if cluster.records:
        here = {(p.line, p.address) for p in finding.places}
        return min(
            cluster.records,
            key=lambda r: (kind_of(r.key) != "serial", (r.line, r.address) not in here, r.device),
        )
    if finding.facts.get("garbled"):
        return None
    for place in finding.places:
        for record in by_place[place.line, place.address]:
            strange = record.key and (finding.keys or record.profile)
            other = finding.profile != record.profile and (finding.profile or finding.keys) and record.profile
            if not (strange or other or record.device in claimed):
                return record
    host = finding.facts.get("host", "").casefold()
    if host and not finding.keys and hosts[host] == 1 and len(by_host[host]) == 1:
        record = by_host[host][0]
        if record.device not in claimed and (not finding.profile or finding.profile == record.profile):
            return record
    return None


def _status(finding: Finding, record: Known | None) -> str:
    if record is None:
        return "new" if finding.profile else "unknown"
    places = set(finding.places)
    on_line = [p for p in finding.places if p.line == record.line]
    home = Place(record.line, record.address, record.speed)
    if home in places or (not on_line and places & set(record.places)):
        return "known"
    return "moved" if record.address else "known"


def _finding(cluster: _Cluster, placed: list[Sighting], library: Library) -> Finding:
    ranked = sorted(cluster.seen, key=lambda s: (_DIRECT.get(s.method, _OTHER), -s.time))
    facts: dict[str, str] = {}
    for sighting in reversed(ranked):
        facts.update(sighting.facts)
    ports = dict.fromkeys(p for s in cluster.seen for p in s.facts.get("ports", "").split())
    if ports:
        facts["ports"] = " ".join(sorted(ports, key=int))
    macs = [
        key[4:] for key in cluster.keys if key.startswith("mac:") and any(key[4:] in _text(s) for s in cluster.seen)
    ]
    if len(macs) > 1:
        facts["macs"] = " ".join(macs)
    profile = library.best(facts)
    if profile is not None and (mode := profile.mode_of(facts)):
        facts["mode"] = mode
    best = min(placed, key=lambda s: (_DIRECT.get(s.method, _OTHER), "outside" in s.facts, -s.time))
    direct = [s for s in placed if _DIRECT.get(s.method, _OTHER) <= _OTHER]
    answered = {s.line for s in direct}
    # An announcement may be an old one: it counts only where the device did not answer itself on that line.
    told = [s for s in placed if s.line not in answered]
    places = dict.fromkeys(Place(s.line, s.address, _speed(s)) for s in [best, *direct, *told])
    return Finding(
        line=best.line,
        address=best.address,
        speed=_speed(best),
        identity=Identity(
            maker=library.maker(facts["maker"]) if facts.get("maker") else (profile.maker if profile else ""),
            model=facts.get("model", ""),
            serial=facts.get("serial", ""),
            firmware=facts.get("firmware", ""),
            facts=facts,
        ),
        profile=profile.id if profile else "",
        status="unknown",
        methods=sorted({sighting.method for sighting in cluster.seen}),
        facts=facts,
        keys=tuple(cluster.keys),
        places=tuple(places),
        sightings=cluster.seen,
    )


def _text(sighting: Sighting) -> str:
    return (sighting.facts.get("mac", "") + " " + sighting.facts.get("macs", "")).lower().replace("-", ":")


def _speed(sighting: Sighting) -> int:
    speed = sighting.facts.get("speed", "")
    return int(speed) if speed.isdecimal() else 0
