"""What a fact is worth in this installation: facts that contradict one another name nobody. Pure.

A fact that names a device by its kind may be common in the field: images are cloned, virtual addresses
move, a router answers ARP for others, factories write one serial number into a hundred units. The
installation itself shows it: one UUID under several MAC addresses, one MAC address under several serial
numbers, one serial number at several places of a line in one sweep. Such a key joins nobody here, now
and later. The other way round, one speaker tells its serial number in several forms: at one place and
one MAC address, by different methods, and nowhere else.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from netloom_core.identity.keys import Makers, keys_of, kind_of
from netloom_core.model.sighting import Sighting
from netloom_core.sweep.finding import Known

ARP = "neighbour"
TOLD_BY_OTHERS = frozenset({"mdns", "forwarding", "lldp"})  # announcements outlive their device
PROXIED = 3  # so many addresses of whom nothing but one MAC is known: somebody answers for them
# Facts of which one host has one value; two values are two hosts.
ONE_EACH = frozenset(("host", "title", "certificate", "banner", "ssh", "server", "description", "hardware", "engine"))

Spot = tuple[str, str]
Seen = list[tuple[str, str]]


@dataclass
class Worth:
    """`common` are keys that name nobody, with the reason; `doubted` those that join nobody in this sweep alone;
    `void` (sighting, key) that are only repeated there;
    `one_speaker` lists sightings at one spot that are one device, whatever form its serial number has in each.
    """

    common: dict[str, str] = field(default_factory=dict)
    doubted: dict[str, str] = field(default_factory=dict)
    void: set[tuple[int, str]] = field(default_factory=set)
    one_speaker: list[list[int]] = field(default_factory=list)

    def names(self, number: int, key: str) -> bool:
        return key not in self.common and key not in self.doubted and (number, key) not in self.void

    def why_not(self, key: str) -> str:
        return self.common.get(key) or self.doubted.get(key) or "told by it, and of another device"


@dataclass(slots=True)
class _Place:
    """What was told at one address in this sweep."""

    numbers: list[int] = field(default_factory=list)
    arp: set[str] = field(default_factory=set)
    told: set[str] = field(default_factory=set)
    serials: dict[str, set[str]] = field(default_factory=lambda: defaultdict(set))  # by method
    facts: dict[str, set[str]] = field(default_factory=lambda: defaultdict(set))

    @property
    def macs(self) -> set[str]:
        return self.arp or self.told

    @property
    def all_serials(self) -> set[str]:
        return set().union(*self.serials.values()) if self.serials else set()


class _Linked:
    """MAC addresses that were shown to be of one device: told together, or on one record."""

    def __init__(self) -> None:
        self._up: dict[str, str] = {}

    def of(self, mac: str) -> str:
        while (up := self._up.get(mac, mac)) != mac:
            mac = up
        return mac

    def join(self, macs: Iterable[str]) -> None:
        first = ""
        for mac in macs:
            root = self.of(mac)
            if first and root != first:
                self._up[root] = first
            first = first or root

    def apart(self, one: set[str], other: set[str]) -> bool:
        """Whether both are known and nothing links them."""
        return bool(one and other) and {self.of(m) for m in one}.isdisjoint({self.of(m) for m in other})


def weigh(
    seen: Sequence[Sighting], records: Sequence[Known], makers: Makers, common: Mapping[str, str] | None = None
) -> tuple[Worth, list[Seen]]:
    """What the facts are worth, and the keys of each sighting. `common` are keys that proved to be so before."""
    keys = [keys_of(sighting.facts, makers) for sighting in seen]
    return _Weighing(seen, records, keys, dict(common or {})).result(), keys


class _Weighing:
    def __init__(
        self, seen: Sequence[Sighting], records: Sequence[Known], keys: list[Seen], common: dict[str, str]
    ) -> None:
        self._seen, self._records, self._keys = seen, records, keys
        self._worth = Worth(common=common)
        self._places: dict[Spot, _Place] = defaultdict(_Place)
        self._linked = _Linked()
        self._bearers: dict[str, list[int]] = defaultdict(list)
        self._record_of: dict[str, set[str]] = defaultdict(set)

    def result(self) -> Worth:
        self._gather()
        self._told_macs()
        self._macs()
        self._others()
        self._serials()
        self._forms()
        return self._worth

    def _gather(self) -> None:
        for number, sighting in enumerate(self._seen):
            mine = self._keys[number]
            told = [key for kind, key in mine if kind == "mac"]
            if len(told) > 1:
                self._linked.join(told)
            for _, key in mine:
                self._bearers[key].append(number)
            if not sighting.address:
                continue
            place = self._places[sighting.line, sighting.address]
            place.numbers.append(number)
            (place.arp if sighting.method == ARP else place.told).update(told[:1])
            if sighting.method not in TOLD_BY_OTHERS:
                place.serials[sighting.method].update(key for kind, key in mine if kind == "serial")
                for name in ONE_EACH & sighting.facts.keys():
                    place.facts[f"{sighting.method} {name}"].add(sighting.facts[name])
        for record in self._records:
            mine_of_record = {key for key in (record.key, *record.keys) if key}
            self._linked.join(key for key in mine_of_record if kind_of(key) == "mac")
            for key in mine_of_record:
                self._record_of[key].add(record.device)

    def _at(self, number: int) -> _Place | None:
        sighting = self._seen[number]
        return self._places.get((sighting.line, sighting.address)) if sighting.address else None

    def _mac_of(self, number: int) -> set[str]:
        """Of whoever spoke: what it tells, or what ARP shows where one alone is at that address."""
        place = self._at(number)
        if place is not None and len(place.arp) == 1:
            return place.arp
        return {key for kind, key in self._keys[number] if kind == "mac"}

    def _serials_of(self, number: int) -> set[str]:
        own = {key for kind, key in self._keys[number] if kind == "serial"}
        place = self._at(number)
        if own or place is None or len(place.macs) > 1:
            return own
        return place.all_serials

    def _told_macs(self) -> None:
        """A MAC that is told where ARP shows another one, and that ARP shows elsewhere or others tell, too."""
        shown = set().union(*(place.arp for place in self._places.values())) if self._places else set()
        for key, numbers in self._bearers.items():
            if kind_of(key) != "mac":
                continue
            contradicted = []
            for number in numbers:
                place = self._at(number)
                if place is not None and self._seen[number].method != ARP and self._linked.apart(place.arp, {key}):
                    contradicted.append(number)
            homes = {frozenset(place.arp) for n in contradicted if (place := self._at(n)) is not None}
            if key in shown:
                self._worth.void.update((number, key) for number in contradicted)
            elif len(homes) > 1:
                self._worth.common[key] = "several devices tell this MAC address, and none of them has it"

    def _macs(self) -> None:
        for key, numbers in self._bearers.items():
            if kind_of(key) != "mac" or key in self._worth.common:
                continue
            spots: dict[Spot, _Place] = {}
            for number in numbers:
                place = self._at(number)
                if place is not None and (number, key) not in self._worth.void:
                    spots[self._seen[number].line, self._seen[number].address] = place
            if len(spots) > 1 and (why := self._shared_mac(list(spots.values()))):
                self._worth.common[key] = why

    def _shared_mac(self, places: list[_Place]) -> str:
        alone = [place for place in places if len(place.macs) <= 1]
        serials = [place.all_serials for place in alone if place.all_serials]
        if serials and not _chained(serials):
            return "one MAC address under several serial numbers: somebody answers for others, or it is a virtual one"
        told: dict[str, set[str]] = {}
        for place in alone:
            for name, values in place.facts.items():
                before = told.setdefault(name, values)
                if before.isdisjoint(values):
                    return "one MAC address under which different hosts answer"
        if len(places) >= PROXIED and any(not place.facts and not place.all_serials for place in places):
            return f"one MAC address answers for {len(places)} addresses, and nothing shows that they are one device"
        return ""

    def _others(self) -> None:
        """UUIDs, RDM UIDs and USB serial numbers: what bears one has one set of MACs and one serial number."""
        by_record = {record.device: record for record in self._records}
        for key, numbers in self._bearers.items():
            if kind_of(key) not in ("uuid", "rdm", "usb") or key in self._worth.common:
                continue
            who = [(self._mac_of(n), self._serials_of(n)) for n in numbers]
            for device in self._record_of.get(key, ()):
                mine = {k for k in (by_record[device].key, *by_record[device].keys) if k}
                who.append(({k for k in mine if kind_of(k) == "mac"}, {k for k in mine if kind_of(k) == "serial"}))
            if self._differ(who):
                self._worth.common[key] = "several devices bear it, as copies of one image do"

    def _differ(self, who: list[tuple[set[str], set[str]]]) -> bool:
        """Whether they cannot all be one. What has neither a MAC nor a serial number contradicts nothing."""
        macs: set[str] = set()
        serials: list[set[str]] = []
        for mine, own in who:
            alike = bool(own) and any(not own.isdisjoint(other) for other in serials)
            if self._linked.apart(mine, macs) and not alike:
                return True
            macs |= mine
            if own:
                serials.append(own)
        return bool(serials) and not _chained(serials)

    def _serials(self) -> None:
        """At several places of one line in one sweep, by different MACs; or without any, told at each by itself."""
        for key, numbers in self._bearers.items():
            if kind_of(key) != "serial" or key in self._worth.common:
                continue
            by_line: dict[str, dict[str, set[str]]] = defaultdict(dict)
            methods: dict[Spot, set[str]] = defaultdict(set)
            for number in numbers:
                sighting = self._seen[number]
                if sighting.address and sighting.method not in TOLD_BY_OTHERS:
                    by_line[sighting.line].setdefault(sighting.address, set()).update(self._mac_of(number))
                    methods[sighting.line, sighting.address].add(sighting.method)
            for line, places in by_line.items():
                where = ", ".join(sorted(places)[:6])
                if len(places) > 1 and self._cloned(places):
                    self._worth.common[key] = f"several devices on one line bear it: {where}"
                elif len(places) > 1 and self._told_at_two(line, places, methods):
                    # It may have moved while it was looked for: only in this sweep it joins nobody.
                    self._worth.doubted[key] = f"told at several places in one sweep: {where}"

    def _cloned(self, places: dict[str, set[str]]) -> bool:
        spots = list(places.values())
        return any(self._linked.apart(macs, theirs) for at, macs in enumerate(spots) for theirs in spots[at + 1 :][:20])

    def _told_at_two(self, line: str, places: dict[str, set[str]], methods: dict[Spot, set[str]]) -> bool:
        """By one method at two places, and no MAC address shows that they are one."""
        mute = [methods[line, address] for address, macs in places.items() if not macs]
        return any(one & other for at, one in enumerate(mute) for other in mute[at + 1 :][:20])

    def _forms(self) -> None:
        """One place, one MAC: its serial numbers are forms of one, unless one method told two."""
        homes: dict[str, set[Spot]] = defaultdict(set)
        for spot, place in self._places.items():
            for serial in place.all_serials:
                homes[serial].add(spot)
        for place in self._places.values():
            serials = place.all_serials
            if len(serials) < 2 or len(place.macs) > 1 or any(len(one) > 1 for one in place.serials.values()):
                continue
            on_record = [self._record_of[serial] for serial in serials if self._record_of.get(serial)]
            elsewhere = any(len(homes[serial]) > 1 for serial in serials)
            garbled = any(self._seen[n].facts.get("garbled") for n in place.numbers)
            makers = {serial.partition("|")[0] for serial in serials}
            sure = bool(place.arp) or len(makers) == 1
            if sure and not elsewhere and not garbled and len({frozenset(one) for one in on_record}) < 2:
                speakers = [n for n in place.numbers if self._seen[n].method not in TOLD_BY_OTHERS]
                self._worth.one_speaker.append(speakers)


def _chained(sets: list[set[str]]) -> bool:
    """Whether each has something in common with what came before: forms of one thing."""
    whole, left = set(sets[0]), list(sets[1:])
    while left:
        near = [one for one in left if not whole.isdisjoint(one)]
        if not near:
            return False
        for one in near:
            whole |= one
        left = [one for one in left if whole.isdisjoint(one)]
    return True
