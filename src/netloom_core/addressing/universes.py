"""Fixtures in DMX universes: each takes several slots from its start address on. Places by rules, what is wrong. Pure.

A fixture keeps its place while nothing speaks against it. All others get the first gap that is wide enough; slots that
another one leaves are given away only when nothing else is left. Which universe a fitted unit hears is decided by the
port that its cable goes to, so nobody is sent to another universe unless a person says which.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace

from netloom_core.addressing.checks import Trouble
from netloom_core.addressing.rules import Range, Rules, UniverseRules
from netloom_core.model.line import Line
from netloom_core.model.universe import LAST_SLOT, shown

ALL_SLOTS = (1 << LAST_SLOT) - 1  # bit n - 1 is slot n


def bits(start: int, slots: int) -> int:
    """The slots from `start` on as bits; what would be beyond the last one is left out."""
    return (((1 << slots) - 1) << (start - 1)) & ALL_SLOTS


@dataclass(frozen=True)
class Fixture:
    """Who listens on a universe. `universe`, `start` and `slots` are what is decided, else what it has; `heard` is the
    universe of the port where it was found, `at` and `takes` what it has there; None or 0 where nobody knows.

    `personality` is what is decided, `sizes` how many slots each takes. Those with the same word in `shares` are meant
    to hear the same slots. `can` is whether its start address can be written; `mine` whether it belongs to the
    installation. `node` is the address of the node that it was found behind.
    """

    device: str
    name: str
    kind: str = ""
    area: str = ""
    area_name: str = ""
    universe: int | None = None
    start: int = 0
    slots: int = 0
    heard: int | None = None
    at: int = 0
    takes: int = 0
    personality: str = ""
    sizes: Mapping[str, int] = field(default_factory=dict)
    shares: str = ""
    can: bool = True
    fitted: bool = True
    mine: bool = True
    node: str = ""

    @property
    def last(self) -> int:
        return self.start + self.slots - 1 if self.start and self.slots else 0

    @property
    def span(self) -> int:
        """Its slots as bits; none while nobody knows where it listens, or to how many."""
        return bits(self.start, self.slots) if self.universe is not None and self.last else 0

    @property
    def now(self) -> int:
        """The slots to which it listens now."""
        return bits(self.at, self.takes) if self.heard is not None and self.at and self.takes else 0


@dataclass(frozen=True)
class Output:
    """A port of the node at `host`: `universe` is what it is to send, `now` what it sends; None where nobody knows.
    `decided` is whether somebody said so; new nodes send on all ports, whether anybody listens or not.
    """

    device: str
    name: str
    label: str
    path: str
    universe: int | None
    now: int | None = None
    host: str = ""
    decided: bool = False


@dataclass(frozen=True)
class Patch:
    """What one fixture is to have, and `why` in sentences; `problem` why no place could be found, with what to try in
    `hint`."""

    device: str
    name: str
    universe: int | None
    start: int
    slots: int
    before: tuple[int | None, int]
    why: tuple[str, ...]
    problem: str = ""
    hint: str = ""

    @property
    def stays(self) -> bool:
        return not self.problem and self.before == (self.universe, self.start)


class Universes:
    """A network's universes with all who listen there, and the ports that send them."""

    def __init__(self, line: Line, rules: Rules, fixtures: Sequence[Fixture], outputs: Sequence[Output] = ()) -> None:
        self._line = line
        self.fixtures = list(fixtures)
        self.outputs = list(outputs)
        self._rules = {one.number: one for one in rules.universes}
        self._hangs = {(one.node, one.heard) for one in fixtures if one.node and one.heard is not None}

    def used(self, one: Output) -> bool:
        """Whether somebody decided what the port sends, or somebody hangs there."""
        return one.decided or (one.host, one.now) in self._hangs

    def rules_of(self, number: int) -> UniverseRules:
        return self._rules.get(number) or UniverseRules(number=number)

    @property
    def numbers(self) -> list[int]:
        """All that are named, sent, heard or planned."""
        told = [*(one.universe for one in self.outputs), *(one.now for one in self.outputs)]
        told += [number for one in self.fixtures for number in (one.universe, one.heard)]
        return sorted({number for number in told if number is not None} | self._rules.keys())

    def free(self, number: int) -> int:
        """How many slots of it nobody has, is to have, or keeps."""
        taken = _reserved(self.rules_of(number))
        for one in self.fixtures:
            taken |= one.span if one.universe == number else 0
            taken |= one.now if one.heard == number else 0
        return LAST_SLOT - taken.bit_count()

    def propose(self, chosen: Collection[str], universe: int | None = None) -> list[Patch]:
        """For those devices, in the order of their places; in that universe, where one is named."""
        mine = [one for one in self.fixtures if one.device in chosen]
        mine.sort(key=lambda one: (one.can, not one.fitted, one.universe or 0, not one.start, one.start, one.name))
        made: dict[str, Patch] = {}
        stuck: set[str] = set()
        while True:  # whoever finds no place stays where it is, in the way of others
            made |= self._round([one for one in mine if one.device not in stuck], universe)
            found = {device for device, one in made.items() if one.problem} - stuck
            if not found:
                return [made[one.device] for one in mine]
            stuck |= found

    def _round(self, mine: Sequence[Fixture], universe: int | None) -> dict[str, Patch]:
        room = _Room(self, {one.device for one in mine})
        moving: list[tuple[Fixture, str]] = []
        made: dict[str, Patch] = {}
        for one in mine:
            against = self._against(one, universe, room)
            if against:
                moving.append((one, against))
                continue
            room.keep(one)
            made[one.device] = _patch(one, one.universe, one.start, _stays(one))
        room.leave(one for one, _ in moving)
        for one, against in moving:
            made[one.device] = self._moved(one, against, universe, room)
        return made

    def _against(self, one: Fixture, wanted: int | None, room: _Room) -> str:
        """Why its place is not good; empty where it is."""
        if one.universe is None:
            return "it is in no universe yet"
        if wanted is not None and one.universe != wanted:
            return f"it is to go to universe {shown(wanted)}"
        if not one.start:
            return "it has no start address yet"
        if not one.can or not one.slots:
            return ""
        if one.last > LAST_SLOT:
            return f"from {one.start} on its {one.slots} slots reach beyond {LAST_SLOT}"
        rules = self.rules_of(one.universe)
        if _reserved(rules) & one.span:
            return f"{_slots(one)} {_why_reserved(rules, one)}"
        ranges = rules.ranges_for(one.kind, one.area)
        if ranges and not any(int(span.first) <= one.start and one.last <= int(span.last) for span in ranges):
            return f"{_slots(one)} is outside of the range {_spans(ranges)}"
        if not ranges and _all_of(rules.ranges) & one.span:
            return f"{_slots(one)} is in a range of others"
        other = room.in_the_way(one)
        return f"{_slots(one)} is {other.name}'s, too" if other is not None else ""

    def _moved(self, one: Fixture, against: str, wanted: int | None, room: _Room) -> Patch:
        if not one.can:
            return _none(
                one, against, f"The start address of {one.name} cannot be written.", "Set it at the unit itself."
            )
        if not one.slots:
            return _none(
                one, against, f"Nobody knows how many slots {one.name} takes.",
                "Choose its personality, or sweep the line: a unit that is there tells them.",
            )  # fmt: skip
        where = [wanted if wanted is not None else one.universe]
        if where == [None]:
            where = [*self.numbers]
        for number in where:
            if number is None:
                continue
            if mate := room.mate(number, one):
                return _patch(one, number, mate.start, f"{_capital(against)}; it shares the slots of {mate.name}.")
            ranges = self.rules_of(number).ranges_for(one.kind, one.area)
            start = room.first_gap(number, one, ranges)
            if start:
                room.take(number, one, start)
                within = f" in its range {_spans(ranges)}" if ranges else ""
                gap = f"{start} to {start + one.slots - 1} is" if one.slots > 1 else f"{start} is"
                reason = f"{_capital(against)}; {gap} the first gap for it in universe {shown(number)}{within}."
                return _patch(one, number, start, reason)
        if not where:
            return _none(
                one, against, f"There is no universe on {self._line.name} yet.", "Name one, or sweep for nodes."
            )
        told = shown(where[0]) if where[0] is not None else ""
        which = f"universe {told}" if len(where) == 1 else "any universe"
        wide = f"{one.slots} slots in a row" if one.slots > 1 else "a slot"
        return _none(
            one, against, f"In {which} there is no room of {wide} left for {one.name}.",
            "Give its range more slots, put it into another universe, or choose a smaller personality.",
        )  # fmt: skip

    def troubles(self) -> Iterator[Trouble]:
        """What is wrong with who listens where; of others only that they are in the way."""
        yield from self._overlaps()
        sent = {one.universe for one in self.outputs if one.universe is not None}
        for one in self.fixtures:
            if not one.mine:
                continue
            if one.last > LAST_SLOT:
                beyond = f"From {one.start} on its {one.slots} slots reach beyond {LAST_SLOT}."
                yield self._told(one, "over-the-end", beyond, "Plan a lower start address, or a smaller personality.")
            if one.heard is not None and one.universe != one.heard and one.universe is not None:
                yield self._told(
                    one,
                    "other-universe",
                    f"Its port sends universe {shown(one.heard)}, and it is planned in {shown(one.universe)}.",
                    "Put its cable to the other port, let that port send the other universe, or plan it where it is.",
                )
            elif (to := self._will_hear(one)) is not None and one.universe is not None:
                yield self._told(
                    one,
                    "other-universe",
                    f"Its port is to send universe {shown(to)}, and it is planned in {shown(one.universe)}.",
                    "Plan it in the same, or let the port send what it does now.",
                )
            elif one.universe is not None and self.outputs and one.universe not in sent:
                missing = f"No port on {self._line.name} sends universe {shown(one.universe)}."
                yield self._told(one, "no-sender", missing, "Choose the port that sends it.")
            rules = self.rules_of(one.universe or 0)
            if _reserved(rules) & one.span:
                why = f"{_slots(one)} {_why_reserved(rules, one)}."
                yield self._told(one, "reserved", why, "Plan it by the rules.")
        yield from self._sent_twice()

    def _will_hear(self, one: Fixture) -> int | None:
        """Another universe than its own that the port where it hangs is to send. None where that stays, or where it is
        not sure which port that is."""
        if not one.node or one.heard is None or one.heard != one.universe:
            return None
        ports = [out for out in self.outputs if (out.host, out.now) == (one.node, one.heard)]
        return ports[0].universe if ports and all(out.universe != one.heard for out in ports) else None

    def _told(self, one: Fixture, code: str, message: str, hint: str) -> Trouble:
        place = f"{one.universe}/{one.start}" if one.universe is not None else str(one.start or "")
        return Trouble(code, self._line.id, one.device, one.name, place, message, hint)

    def _overlaps(self) -> Iterator[Trouble]:
        by_universe: dict[int, list[Fixture]] = defaultdict(list)
        for one in self.fixtures:
            if one.universe is not None and one.span:
                by_universe[one.universe].append(one)
        for those in by_universe.values():
            those.sort(key=lambda one: one.start)
            met: dict[str, list[str]] = defaultdict(list)
            open_: list[Fixture] = []
            for one in those:
                open_ = [other for other in open_ if other.last >= one.start]
                for other in open_:
                    if not together(one, other):
                        met[one.device].append(other.name)
                        met[other.device].append(one.name)
                open_.append(one)
            for one in those:
                if one.mine and (names := met.get(one.device)):
                    more = f" and {len(names) - 2} more" if len(names) > 2 else ""
                    yield self._told(
                        one, "overlap", f"{_slots(one)} is for {' and '.join(names[:2])}{more}, too.",
                        "Plan one by the rules; where they are to do the same, say that they share slots.",
                    )  # fmt: skip

    def _sent_twice(self) -> Iterator[Trouble]:
        by_universe: dict[int, list[Output]] = defaultdict(list)
        for one in self.outputs:
            if one.universe is not None and self.used(one):
                by_universe[one.universe].append(one)
        for number, those in sorted(by_universe.items()):
            nodes = {one.device: one for one in those}
            if len(nodes) > 1 and not self.rules_of(number).twice:
                for one in nodes.values():
                    names = " and ".join(sorted(o.name for o in nodes.values() if o is not one)[:3])
                    yield Trouble(
                        "sent-twice", self._line.id, one.device, one.name, str(number),
                        f"{one.label} sends universe {shown(number)}, and so does {names}.",
                        "Let one send another one; where both are meant to, say so at the universe.",
                    )  # fmt: skip


def together(one: Fixture, other: Fixture) -> bool:
    """Whether they are meant to hear the same slots."""
    return bool(one.shares) and one.shares.casefold() == other.shares.casefold()


class _Room:
    """Slots that are taken, by universe."""

    def __init__(self, all_: Universes, asked: Collection[str]) -> None:
        self._all = all_
        self._held: dict[int, list[Fixture]] = defaultdict(list)  # who is to be there, and is not asked to move
        self._now: dict[int, int] = defaultdict(int)  # slots that somebody listens to who is not asked
        self._left: dict[int, int] = defaultdict(int)  # slots that somebody leaves
        self._given: dict[int, int] = defaultdict(int)
        self._walls: dict[int, int] = {}
        for one in all_.fixtures:
            if one.device not in asked:
                self.keep(one)

    def keep(self, one: Fixture) -> None:
        if one.universe is not None:
            self._held[one.universe].append(one)
            self._given[one.universe] |= one.span
        if one.heard is not None:
            self._now[one.heard] |= one.now

    def leave(self, those: Iterable[Fixture]) -> None:
        for one in those:
            if one.heard is not None:
                self._left[one.heard] |= one.now

    def in_the_way(self, one: Fixture) -> Fixture | None:
        """Somebody who is to have one of its slots and does not share them."""
        assert one.universe is not None
        if not self._given[one.universe] & one.span:
            return None
        return next(
            (other for other in self._held[one.universe] if other.span & one.span and not together(one, other)), None
        )

    def mate(self, number: int, one: Fixture) -> Fixture | None:
        """Somebody there who is meant to hear the same slots, and takes as many."""
        for other in self._held[number]:
            if 0 < other.last <= LAST_SLOT and other.slots == one.slots and together(one, other):
                there = replace(one, universe=number, start=other.start)
                if self.in_the_way(there) is None:
                    return other
        return None

    def first_gap(self, number: int, one: Fixture, ranges: Sequence[Range]) -> int:
        """The first start address with room for it; 0 where there is none."""
        rules = self._all.rules_of(number)
        inside = _all_of(ranges) if ranges else ALL_SLOTS & ~_all_of(rules.ranges)
        inside &= ~_reserved(rules) & ~self._given[number]
        free = inside & ~self._now[number]
        for usable in (free & ~self._left[number], free, inside):
            if start := first_run(usable, one.slots):
                return start
        return 0

    def take(self, number: int, one: Fixture, start: int) -> None:
        self.keep(replace(one, universe=number, start=start, heard=None))


def first_run(usable: int, slots: int) -> int:
    """The first of so many usable slots in a row; 0 where there are none."""
    wide, left = 1, usable
    while wide < slots and left:
        step = min(wide, slots - wide)
        left &= left >> step
        wide += step
    return (left & -left).bit_length()


def _all_of(spans: Iterable[Range]) -> int:
    found = 0
    for one in spans:
        found |= bits(int(one.first), int(one.last) - int(one.first) + 1)
    return found


def _reserved(rules: UniverseRules) -> int:
    found = 0
    for one in rules.reserved:
        found |= bits(int(one.first), int(one.last) - int(one.first) + 1)
    return found


def _why_reserved(rules: UniverseRules, one: Fixture) -> str:
    slots = (str(n) for n in range(one.start, min(one.last, LAST_SLOT) + 1))
    return next((why for slot in slots if (why := rules.reserved_at(slot))), "is reserved")


def _patch(one: Fixture, universe: int | None, start: int, reason: str) -> Patch:
    return Patch(one.device, one.name, universe, start, one.slots, (one.universe, one.start), (reason,))


def _none(one: Fixture, against: str, problem: str, hint: str) -> Patch:
    return Patch(one.device, one.name, one.universe, one.start, one.slots, (one.universe, one.start),
                 (f"{_capital(against)}.",), problem, f"{hint} Nothing was changed.")  # fmt: skip


def _stays(one: Fixture) -> str:
    where = f" in universe {shown(one.universe)}" if one.universe is not None else ""
    if not one.can:
        return "Its start address cannot be written: it stays as it is."
    return f"Stays at {_slots(one)}{where}."


def _slots(one: Fixture) -> str:
    end = min(one.last, LAST_SLOT)
    return f"{one.start} to {end}" if end > one.start else str(one.start)


def _spans(ranges: Sequence[Range]) -> str:
    return " and ".join(map(str, ranges))


def _capital(text: str) -> str:
    return text[:1].upper() + text[1:]
