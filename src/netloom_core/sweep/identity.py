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

from netloom_core.identity.keys import GRADE, kind_of
from netloom_core.library.load import Library
from netloom_core.model.sighting import Sighting
from netloom_core.sweep.clusters import Cluster, Fusion
from netloom_core.sweep.compose import findings_of
from netloom_core.sweep.finding import Finding, Known
from netloom_core.sweep.worth import ARP, weigh


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
    fusion = Fusion()
    holders: dict[int, dict[str, list[int]]] = {grade: defaultdict(list) for grade in (1, 2, 3)}
    for record in records:
        keys = dict.fromkeys([*([record.key] if record.key else []), *record.keys])
        if keys:
            number = fusion.new()
            cluster = fusion.clusters[number]
            cluster.records.append(record)
            cluster.apart = frozenset(record.apart)
            for key in keys:
                if key in worth.common:
                    cluster.share(key, worth.common[key])
                    continue
                kind = kind_of(key)
                cluster.add_key(kind, key, tuple(record.ways.get(key, ())))
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
            cluster.share(key, worth.why_not(key))
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
    return findings_of(fusion, records, library)


def _join_all(fusion: Fusion, numbers: Sequence[int]) -> None:
    """Join with the first that each may be joined with; those that clash stay side by side."""
    heads: list[int] = []
    for number in numbers:
        if not any(fusion.join(head, number) for head in heads):
            heads.append(number)


def _join_spot(fusion: Fusion, numbers: Sequence[int]) -> None:
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


def _other_mac(one: Cluster, other: Cluster) -> bool:
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


def _macs(cluster: Cluster, only_arp: bool) -> set[str]:
    return {key for key, ways in cluster.keys.items() if key.startswith("mac:") and (ARP in ways or not only_arp)}
