"""Places for devices by the rules of their line: what is good stays, each choice is explained, few move. Pure.

A device keeps the place that is decided for it, else the one that it has, while no rule speaks against it and nobody
else has it. All others get free places of their range in order; a place that another one leaves is given away only
when nothing else is left.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field

from netloom_core.addressing.hostnames import number_in, patterned
from netloom_core.addressing.rules import Range, Rules
from netloom_core.model.line import PLACE_ROLES, Line, address_key

ROLES = PLACE_ROLES


@dataclass(frozen=True)
class Resident:
    """Somebody on a line. `at` is where it is, `planned` what is decided (else `at`), `bound` where it may go at its
    next power cut; `has` what it is to have, or has, by role; `can` the roles that can be written to it.

    `fitted` is whether a unit is there; `mine` whether it belongs to the installation; `elsewhere` whether it is
    planned for another line.
    """

    device: str
    name: str
    kind: str = ""
    area: str = ""
    area_name: str = ""
    at: str = ""
    planned: str = ""
    bound: tuple[str, ...] = ()
    has: Mapping[str, str] = field(default_factory=dict)
    can: frozenset[str] = frozenset(ROLES)
    fitted: bool = True
    mine: bool = True
    elsewhere: bool = False

    @property
    def place(self) -> str:
        return self.planned or self.at


@dataclass(frozen=True)
class Proposal:
    """What one device is to have, by role, where that is something new; `why` in sentences. `stays` is whether its
    address is kept; `problem` why none could be found for it, and what to try is in `hint`."""

    device: str
    name: str
    before: str
    address: str
    values: Mapping[str, str]
    why: tuple[str, ...]
    stays: bool
    problem: str = ""
    hint: str = ""


class LinePlan:
    """A line with its rules and all who are on it; plans for some of them."""

    def __init__(self, line: Line, rules: Rules, residents: Sequence[Resident], factory: Collection[str] = ()) -> None:
        """`factory` are places at which new units of models known here come up."""
        self._line = line
        self._rules = rules
        self._factory = frozenset(factory)
        self._residents = {one.device: one for one in residents}
        self._held: dict[str, set[str]] = defaultdict(set)  # by place: who has it, is to have it, or may come to it
        self._bound = {place for one in residents for place in one.bound}
        for one in residents:
            for place in {one.at, one.planned, *one.bound} - {""}:
                self._held[place].add(one.device)

    def propose(self, chosen: Sequence[str]) -> list[Proposal]:
        """For those devices, in the order of their present places; devices that are not there are left out."""
        mine = [self._residents[device] for device in dict.fromkeys(chosen) if device in self._residents]
        # Of two at one place the one that is there stays.
        mine.sort(key=lambda one: (not one.fitted, one.place != one.at, address_key(one.place), one.name))
        places: dict[str, tuple[str, str]] = {}
        stuck: set[str] = set()
        while True:  # whoever finds no place stays where it is, in the way of others
            places |= self._round([one for one in mine if one.device not in stuck])
            found = {device for device, (place, _) in places.items() if not place} - stuck
            if not found:
                break
            stuck |= found
        names = self._names(mine)
        return [self._proposal(one, *places[one.device], names.get(one.device, "")) for one in mine]

    def _round(self, mine: Sequence[Resident]) -> dict[str, tuple[str, str]]:
        """By device its place and why; no place where none could be found."""
        asked = {one.device for one in mine}
        places: dict[str, tuple[str, str]] = {}
        moving: list[tuple[Resident, str]] = []
        kept: set[str] = set()
        for one in mine:
            against = self._against(one, asked, kept)
            if against:
                moving.append((one, against))
            else:
                kept.add(one.place)
                places[one.device] = (one.place, self._fits(one))
        # What waits for a power cut somewhere is nobody else's, though its device is to leave.
        movers = {one.device for one, _ in moving}
        left = {place for place, those in self._held.items() if those <= movers and place not in self._bound}
        free = _Free(self._line, self._rules, self._factory, self._held, left)
        for one, against in moving:
            where = self._rules.ranges_for(one.kind, one.area)
            place = free.next(where)
            if place:
                said = self._described(where, one)
                reason = f"{_capital(against)}; {place} is the next free place{f' {said}' if said else ''}."
                places[one.device] = (place, reason)
            else:
                places[one.device] = ("", against)
        return places

    def _against(self, one: Resident, asked: set[str], kept: set[str]) -> str:
        """Why the place that it has, or is to have, is not good; empty where it is."""
        place = one.place
        if not place:
            return "it has no place yet"
        if "address" not in one.can:
            return ""
        if not self._line.holds(place):
            return f"{place} is no address on {self._line.name}"
        if place == self._line.source:
            return f"{place} is this computer's own address"
        if place in self._factory and not (one.fitted and one.at == place):
            return f"{place} is where new units come up"
        if free := self._rules.kept_free(place):
            return f"{place} {free}"
        ranges = self._rules.ranges_for(one.kind, one.area)
        if ranges and not any(span.holds(place) for span in ranges):
            return f"{place} is outside of {self._described(ranges, one, what=True)}"
        if other := self._rules_of_others(place, one):
            return f"{place} is in the range {other}"
        if place in kept:
            return f"{place} is kept by another one of these"
        others = [self._residents[device] for device in sorted(self._held.get(place, set()) - asked)]
        stays = [other for other in others if not _leaves(other, place)]
        return f"{place} is held by {stays[0].name}, too" if stays else ""

    def _rules_of_others(self, place: str, one: Resident) -> str:
        """The range of another kind or area that a place lies in, for one that no range is for."""
        if self._rules.ranges_for(one.kind, one.area):
            return ""
        other = next((span for span in self._rules.ranges if span.holds(place)), None)
        return f"{other} of others" if other else ""

    def _fits(self, one: Resident) -> str:
        if "address" not in one.can:
            return "Its address cannot be written: it stays as it is."
        ranges = self._rules.ranges_for(one.kind, one.area)
        said = self._described(ranges, one, what=True) if ranges else ""
        return f"Stays at {one.place}{f', in {said}' if said else ''}."

    def _described(self, ranges: Sequence[Range], one: Resident, *, what: bool = False) -> str:
        if not ranges:
            return ""
        whose = " in ".join(
            word for word in (one.kind if ranges[0].kind else "", one.area_name if ranges[0].area else "") if word
        )
        spans = " and ".join(map(str, ranges))
        owner = f" for {whose}" if whose else ""
        return f"the range {spans}{owner}" if what else f"in the range {spans}{owner}"

    def _names(self, mine: Sequence[Resident]) -> dict[str, str]:
        """Host names by the pattern, each once on the line; who has a fitting one keeps it."""
        if not self._rules.names:
            return {}
        chosen = {one.device for one in mine}
        taken = {one.has.get("name", "").casefold() for one in self._residents.values() if one.device not in chosen}
        found: dict[str, str] = {}
        numbers: dict[tuple[str, str], int] = defaultdict(int)
        for one in mine:
            has = one.has.get("name", "")
            if has and has.casefold() not in taken and number_in(self._rules.names, one, has):
                found[one.device] = has
                taken.add(has.casefold())
        for one in mine:
            if one.device in found or "name" not in one.can:
                continue
            group = (one.area_name, one.kind)
            while numbers[group] < len(self._residents) + len(taken) + 1:
                numbers[group] += 1
                [name] = patterned(self._rules.names, one, [numbers[group]])
                if name.casefold() not in taken:
                    found[one.device] = name
                    taken.add(name.casefold())
                    break
        return found

    def _proposal(self, one: Resident, place: str, reason: str, name: str) -> Proposal:
        before = one.place
        if not place:
            return Proposal(
                one.device, one.name, before, "", {}, (f"{_capital(reason)}.",), False,
                f"No free place is left for {one.name} on {self._line.name}.",
                "Give its range more places, take a reservation back, or plan others elsewhere. Nothing was changed.",
            )  # fmt: skip
        wanted = {"address": place, "mask": self._rules.mask, "gateway": self._rules.gateway, "name": name,
                  "speed": str(self._rules.speed or "")}  # fmt: skip
        values: dict[str, str] = {}
        why = [reason]
        for role, value in wanted.items():
            now = before if role == "address" else one.has.get(role, "")
            if not value or value == now:
                continue
            if role in one.can:
                values[role] = value
                if role != "address":
                    why.append(_also(role, value, now))
            elif role in one.has or role == "address":
                why.append(f"Its {_WORDS[role]} cannot be written; it is {now or 'not told'}.")
        return Proposal(one.device, one.name, before, place, values, tuple(why), place == before)


_WORDS = {"address": "address", "mask": "network mask", "gateway": "gateway", "name": "host name", "speed": "speed"}


def _also(role: str, value: str, now: str) -> str:
    return f"Its {_WORDS[role]} becomes {value}{f' instead of {now}' if now else ''}."


def _leaves(other: Resident, place: str) -> bool:
    """It is there now, and is to go elsewhere."""
    return other.mine and other.at == place and bool(other.planned) and other.planned != place


def _capital(text: str) -> str:
    return text[:1].upper() + text[1:]


class _Free:
    """Free places, given away one after the other; each list of ranges is walked once."""

    def __init__(
        self,
        line: Line,
        rules: Rules,
        factory: Collection[str],
        held: Mapping[str, set[str]],
        left: set[str],
    ) -> None:
        self._rules = rules
        self._usable = [p for p in line.places() if p not in factory and not rules.kept_free(p)]
        self._held = held
        self._left = left
        self._given: set[str] = set()
        self._walks: dict[tuple[Range, ...], Iterator[str]] = {}

    def next(self, ranges: Sequence[Range]) -> str:
        key = tuple(ranges)
        if key not in self._walks:
            self._walks[key] = self._walk(key)
        for place in self._walks[key]:
            if place not in self._given:
                self._given.add(place)
                return place
        return ""

    def _walk(self, ranges: tuple[Range, ...]) -> Iterator[str]:
        if ranges:
            inside = [place for place in self._usable if any(span.holds(place) for span in ranges)]
        else:
            inside = [place for place in self._usable if not any(span.holds(place) for span in self._rules.ranges)]
        yield from (place for place in inside if not self._held.get(place))
        yield from (place for place in inside if place in self._left)
