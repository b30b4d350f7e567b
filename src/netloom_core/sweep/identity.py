"""Fusing sightings into findings: who is it, and do we know it. Pure.

Facts that name a device have grades. What is of a higher grade is never overruled:

    1  maker and serial number       a device has one; two that differ are two devices
    2  RDM UID, UUID, USB serial     may be several on one device
    3  MAC address                   one for each interface; cloned ones exist
    4  the place in one sweep        whoever answers at one address is one, unless 1 to 3 differ
    5  the place on record, host     only for what tells nothing better, and only where unique

Sightings that share a fact are one device, grade by grade, unless their serial numbers
differ or a person said that they are apart. Devices on record take part like sightings,
so an old sighting's MAC leads to a serial number that only another method tells. What the
installation itself contradicts joins nobody (worth.py). Two serial numbers differ when one
method told them; what two methods tell may be two forms of one.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence

from netloom_core.identity.keys import GRADE, kind_of, serial_part
from netloom_core.model.device import Identity
from netloom_core.model.line import address_key
from netloom_core.model.sighting import Sighting
from netloom_core.profiles.load import Library
from netloom_core.sweep.finding import BY_IPV6, Finding, Known, Place
from netloom_core.sweep.worth import ARP, weigh

# Whose facts and whose address count when several methods tell: what answered us there
# itself comes before what was announced or seen by somebody else.
_DIRECT = {
    "http": 0, "osdp": 0, "modbus": 0, "onvif": 0, "dialogue": 0, "behind": 0, "pjlink": 0, "snmp": 1,
    "mdns": 3, "ssdp": 3, "forwarding": 9,
}  # fmt: skip
_OTHER = 2
# Facts of which several answers each tell a part.
ADD_UP = ("ports", "universes", "sends_universes", "types", "ipv6", "services")
MAX_FACT = 400


class _Cluster:
    __slots__ = ("apart", "keys", "records", "seen", "serials", "shared")

    def __init__(self) -> None:
        self.keys: dict[str, set[str]] = {}  # with the methods by which each came
        self.serials: dict[str, set[str]] = {}  # by method; those of a record of which none is known by ""
        self.records: list[Known] = []
        self.seen: list[Sighting] = []
        self.apart: set[str] = set()
        self.shared: dict[str, str] = {}

    def add_key(self, kind: str, key: str, ways: Iterable[str]) -> None:
        self.keys.setdefault(key, set()).update(ways)
        if kind == "serial":
            self.tells(key, ways)

    def tells(self, key: str, ways: Iterable[str]) -> None:
        """A serial number, which tells it from others even where it names nobody."""
        for way in tuple(ways) or ("",):
            self.serials.setdefault(way, set()).add(serial_part(key))

    @property
    def tells_who(self) -> bool:
        return bool(self.keys or self.serials)

    def told(self) -> set[str]:
        return set().union(*self.serials.values()) if self.serials else set()

    def clashes(self, other: _Cluster) -> bool:
        """Whether their serial numbers are two, and not two forms of one."""
        mine, theirs = self.told(), other.told()
        if not mine or not theirs or not mine.isdisjoint(theirs):
            return False
        if "" in self.serials or "" in other.serials:
            return True
        common = self.serials.keys() & other.serials.keys()
        return not common or any(self.serials[way].isdisjoint(other.serials[way]) for way in common)


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
        if a.clashes(b):
            return False
        return not (a.apart and a.apart & b.keys.keys()) and not (b.apart and b.apart & a.keys.keys())

    def join(self, one: int, other: int, *, sure: bool = False) -> bool:
        """Whether they are one now; `sure` when it is shown that they are, whatever their serial numbers."""
        one, other = self.find(one), self.find(other)
        if one == other:
            return True
        a, b = self.clusters[one], self.clusters[other]
        if not sure and not self.may_join(a, b):
            return False
        if len(a.seen) + len(a.keys) < len(b.seen) + len(b.keys):
            one, other, a, b = other, one, b, a
        self._up[other] = one
        for key, ways in b.keys.items():
            a.keys.setdefault(key, set()).update(ways)
        for way, serials in b.serials.items():
            a.serials.setdefault(way, set()).update(serials)
        a.records += b.records
        a.seen += b.seen
        a.apart |= b.apart
        a.shared |= b.shared
        return True

    def roots(self) -> list[_Cluster]:
        return [self.clusters[n] for n in range(len(self._up)) if self._up[n] == n]


def _spot(sighting: Sighting) -> tuple[str, str, str]:
    return sighting.line, sighting.address, sighting.facts.get("speed", "")


def fuse(
    sightings: Iterable[Sighting],
    known: Iterable[Known],
    library: Library,
    common: dict[str, str] | None = None,
) -> list[Finding]:
    """Findings in order of line and address, one for each device that was seen.

    `common` are keys that are known to name nobody here, with the reason; those that prove to be so now
    are added to it.
    """
    seen, records = list(sightings), list(known)
    worth, keys_of_each = weigh(seen, records, library.maker, common)
    if common is not None:
        common.update(worth.common)
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
                if key in worth.common:
                    cluster.shared[key] = worth.common[key]
                    continue
                kind = kind_of(key)
                cluster.add_key(kind, key, record.ways.get(key, ()))
                holders[GRADE[kind]][key].append(number)
    at_spot: dict[tuple[str, str, str], list[int]] = defaultdict(list)
    numbers_of: list[int] = []
    for index, sighting in enumerate(seen):
        number = fusion.new()
        numbers_of.append(number)
        cluster = fusion.clusters[number]
        cluster.seen.append(sighting)
        for kind, key in keys_of_each[index]:
            if worth.names(index, key):
                cluster.add_key(kind, key, (sighting.method,))
                holders[GRADE[kind]][key].append(number)
                continue
            cluster.shared[key] = worth.why_not(key)
            if kind == "serial":
                cluster.tells(key, (sighting.method,))
        if sighting.address:
            at_spot[_spot(sighting)].append(number)
    for speakers in worth.one_speaker:
        for index in speakers[1:]:
            fusion.join(numbers_of[speakers[0]], numbers_of[index], sure=True)
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
    named = list(dict.fromkeys(fusion.find(n) for n in numbers if fusion.clusters[fusion.find(n)].tells_who))
    bare = [n for n in numbers if not fusion.clusters[fusion.find(n)].tells_who]
    named.sort(key=lambda n: not fusion.clusters[n].serials)
    heads: list[int] = []
    for number in named:
        for head in heads:
            one, other = fusion.clusters[fusion.find(head)], fusion.clusters[fusion.find(number)]
            if not _other_mac(one, other) and fusion.join(head, number):
                break
        else:
            heads.append(number)
    for number in bare:
        for head in heads or bare[:1]:
            if fusion.join(head, number):
                break


def _other_mac(one: _Cluster, other: _Cluster) -> bool:
    """Whether ARP shows another MAC address of each; without ARP, whether each tells another one.

    What one tells of itself may be that of another of its ports.
    """
    for only_arp in (True, False):
        mine, theirs = _macs(one, only_arp), _macs(other, only_arp)
        if mine and theirs:
            return mine.isdisjoint(theirs)
        if only_arp and (mine or theirs):
            return False
    return False


def _macs(cluster: _Cluster, only_arp: bool) -> set[str]:
    return {key for key, ways in cluster.keys.items() if key.startswith("mac:") and (ARP in ways or not only_arp)}


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
            # Whoever can be proven is not taken for another at its place, unless that one tells its serial number:
            # then there are several who do, and this is the one that is where it was.
            own = {key for key in (record.key, *record.keys) if kind_of(key) == "serial"}
            strange = bool(record.key or record.keys) and own.isdisjoint(finding.shared)
            other = finding.profile != record.profile and (finding.profile or finding.keys) and record.profile
            if not (strange or other or record.device in claimed):
                return record
    host = finding.facts.get("host", "").casefold()
    if host and not finding.keys and hosts[host] == 1 and len(by_host[host]) == 1:
        record = by_host[host][0]
        provable = bool(record.key or record.keys)
        if not provable and record.device not in claimed and (not finding.profile or finding.profile == record.profile):
            return record
    return None


def _status(finding: Finding, record: Known | None) -> str:
    if record is None:
        return "new" if finding.profile else "unknown"
    if "." in record.address and all(":" in place.address for place in finding.places):
        return BY_IPV6
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
    for name in ADD_UP:
        found = dict.fromkeys(word for s in cluster.seen for word in s.facts.get(name, "").split())
        if found:
            facts[name] = " ".join(sorted(found, key=_in_order))[:MAX_FACT]
    facts.update(_nearest_port(cluster.seen))
    macs = [
        key[4:] for key in cluster.keys if key.startswith("mac:") and any(key[4:] in _text(s) for s in cluster.seen)
    ]
    if len(macs) > 1:
        facts["macs"] = " ".join(macs)
    profile = library.best(facts)
    if profile is not None and (mode := profile.mode_of(facts)):
        facts["mode"] = mode
    if not all("outside" in s.facts for s in placed):
        facts.pop("outside", None)  # one of its addresses is of this line
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
        keys=tuple(sorted(cluster.keys, key=lambda key: (GRADE[kind_of(key)], key))),
        ways={key: sorted(ways) for key, ways in cluster.keys.items() if ways},
        places=tuple(places),
        shared=dict(cluster.shared),
        sightings=cluster.seen,
    )


def _in_order(word: str) -> tuple[int, str]:
    return (int(word), "") if word.isdecimal() else (1 << 30, word)


def _nearest_port(seen: Iterable[Sighting]) -> dict[str, str]:
    """Of several switches that see its MAC the one whose port has the fewest others: the rest are on the way."""
    named = [s for s in seen if s.facts.get("switch") and s.facts.get("switch_port")]
    if not named:
        return {}
    best = min(
        named, key=lambda s: ("uplink" in s.facts, int(s.facts.get("port_macs", "1")), s.method, s.facts["switch"])
    )
    told = ("switch", "switch_port", "switch_interface", "port_macs")
    return {name: best.facts.get(name, "") for name in told}


def _text(sighting: Sighting) -> str:
    return (sighting.facts.get("mac", "") + " " + sighting.facts.get("macs", "")).lower().replace("-", ":")


def _speed(sighting: Sighting) -> int:
    speed = sighting.facts.get("speed", "")
    return int(speed) if speed.isdecimal() else 0
