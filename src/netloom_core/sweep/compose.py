"""From clusters of sightings to findings: which record each is, where it is, and the facts that count. Pure."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable

from netloom_core.identity.keys import GRADE, kind_of
from netloom_core.library.load import Library
from netloom_core.library.standard import model_of, speaks_against
from netloom_core.model.device import Identity
from netloom_core.model.line import address_key
from netloom_core.model.sighting import Sighting
from netloom_core.sweep.clusters import Cluster, Fusion
from netloom_core.sweep.finding import BY_IPV6, Finding, Known, Place

# Whose facts and whose address count when several methods tell: what answered us there
# itself comes before what was announced or seen by somebody else.
_DIRECT = {
    "http": 0, "osdp": 0, "modbus": 0, "onvif": 0, "dialogue": 0, "behind": 0, "pjlink": 0, "snmp": 1,
    "mdns": 3, "ssdp": 3, "forwarding": 9, "lldp": 9,
}  # fmt: skip
_OTHER = 2
# Facts of which several answers each tell a part.
ADD_UP = frozenset(("ports", "universes", "sends_universes", "types", "ipv6", "services"))
MAX_FACT = 400


def findings_of(fusion: Fusion, records: list[Known], library: Library) -> list[Finding]:
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
    cluster: Cluster,
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
            ours, theirs = model_of(finding.profile), model_of(record.profile)
            other = speaks_against(finding.profile, record.profile) or (theirs and not ours and finding.keys)
            if not (strange or other or record.device in claimed):
                return record
    host = finding.facts.get("host", "").casefold()
    if host and not finding.keys and hosts[host] == 1 and len(by_host[host]) == 1:
        record = by_host[host][0]
        provable = bool(record.key or record.keys)
        if not provable and record.device not in claimed and not speaks_against(finding.profile, record.profile):
            return record
    return None


def _status(finding: Finding, record: Known | None) -> str:
    if record is None:
        return "new" if model_of(finding.profile) else "unknown"
    if "." in record.address and all(":" in place.address for place in finding.places):
        return BY_IPV6
    places = set(finding.places)
    on_line = [p for p in finding.places if p.line == record.line]
    home = Place(record.line, record.address, record.speed)
    if home in places or (not on_line and places & set(record.places)):
        return "known"
    return "moved" if record.address else "known"


def _finding(cluster: Cluster, placed: list[Sighting], library: Library) -> Finding:
    ranked = sorted(cluster.seen, key=lambda s: (_DIRECT.get(s.method, _OTHER), -s.time))
    facts: dict[str, str] = {}
    for sighting in reversed(ranked):
        facts.update(sighting.facts)
    for name in ADD_UP & facts.keys():
        found = dict.fromkeys(word for s in cluster.seen for word in s.facts.get(name, "").split())
        if found:
            facts[name] = " ".join(sorted(found, key=_in_order))[:MAX_FACT]
    if "switch" in facts:
        facts.update(_nearest_port(cluster.seen))
    macs = [
        key[4:] for key in cluster.keys if key.startswith("mac:") and any(key[4:] in _text(s) for s in cluster.seen)
    ]
    if len(macs) > 1:
        facts["macs"] = " ".join(macs)
    profile = library.best(facts, {sighting.method for sighting in cluster.seen})
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
        ways={key: sorted(set(ways)) for key, ways in cluster.keys.items() if ways},
        places=tuple(places),
        shared=dict(cluster.shared or ()),
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
