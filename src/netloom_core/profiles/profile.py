"""A profile: the description of a device model as data, form 2.

`docs/profiles.md` tells it in prose, `profiles/profile.schema.json` is made from these classes for editors.
What only a protocol knows, its channel, bindings and calls, is in the folder of its driver.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, Literal, NamedTuple, Self

from pydantic import ConfigDict, Field, SerializeAsAny, ValidationError, field_validator, model_validator

from netloom_core.model.line import PLACE_ROLES
from netloom_core.profiles.axis import Axis
from netloom_core.profiles.binding import Binding
from netloom_core.profiles.channel import Channel
from netloom_core.profiles.conditions import Condition, Conditions, written_out
from netloom_core.profiles.feed import Feed
from netloom_core.profiles.fill import filled
from netloom_core.profiles.firmware import Firmware
from netloom_core.profiles.item import Item, Need
from netloom_core.profiles.joining import Joining
from netloom_core.profiles.levels import Ladder, Level
from netloom_core.profiles.people import Connector, Console, Light, Procedure, Restless, View
from netloom_core.profiles.signals import Jack, Signals
from netloom_core.profiles.universe import Listens, Sends
from netloom_core.types.base import Part

MOST_ITEMS = 20_000  # written out
MOST_SETTINGS = 256  # for which it is kept which jacks there are
ProcedureName = Literal["store", "restart", "factory-reset", "initialise", "identify"]


class Match(Part):
    """Facts of a sighting that speak for this model; all must be there, `weight` adds up."""

    facts: dict[str, str] = Field(min_length=1)
    weight: int = Field(ge=1, le=100)


class Mode(Part):
    """A firmware mode in which it shows itself in another way, known by these facts."""

    name: str
    facts: dict[str, str] = Field(min_length=1)
    note: str = ""


class Factory(Part):
    """`names_by_case` is whether it takes a sign-in name only as it is written here, in that case."""

    addresses: list[str] = []
    speed: int = 0
    user: str = ""
    password: str = ""
    names_by_case: bool = False

    def other_case(self, user: str) -> bool:
        """Whether that is its factory's name, but for the case in which it counts."""
        return self.names_by_case and user != self.user and user.casefold() == self.user.casefold()


class Signs(Part):
    """Further signs by which a sweep finds it: DNS-SD types to browse, TCP ports to try."""

    services: list[str] = []
    ports: list[int] = []


class ByStandard(Part):
    """That it is of no model but of a standard: for devices that one of `methods` found and that tell all `facts`.

    `counts` are the axes whose length a fact tells, up to the axis' own count; `port` is the fact that tells
    on which TCP port its first channel is.
    """

    methods: list[str] = Field(min_length=1)
    facts: list[str] = []
    counts: dict[str, str] = {}
    port: str = ""


@dataclass(frozen=True)
class Bound:
    """An item, and how one channel has it."""

    item: Item
    binding: Any


class JacksThere(NamedTuple):
    all: dict[str, Jack]
    ends: list[tuple[str, Jack]]


@dataclass(frozen=True)
class JacksAsSet:
    """The jacks of devices that are set alike, by the values at `paths`, on which it depends which they have."""

    paths: tuple[str, ...]
    known: dict[tuple[Any, ...], JacksThere] = field(default_factory=dict)

    def keep(self, settings: tuple[Any, ...], jacks: dict[str, Jack]) -> None:
        if len(self.known) >= MOST_SETTINGS:
            self.known.clear()
        ends = [(ident, jack) for ident, jack in jacks.items() if jack.way in ("out", "shown")]
        self.known[settings] = JacksThere(jacks, ends)


class Profile(Part):
    model_config = ConfigDict(ignored_types=(cached_property,))

    format: Literal[2]
    id: str = Field(pattern=r"^[a-z0-9-]{3,60}$")
    maker: str = Field(max_length=60)
    model: str = Field(max_length=60)
    kind: str = Field(max_length=60)
    aliases: list[str] = []
    maker_aliases: list[str] = []
    mac_prefixes: list[str] = []
    families: list[str] = []
    modes: list[Mode] = []
    match: list[Match] = []
    channels: dict[str, SerializeAsAny[Channel]] = Field(min_length=1)
    signs: Signs = Signs()
    factory: Factory = Factory()
    levels: list[Level] = Field(default=[], max_length=8)
    axes: dict[str, Axis] = {}
    items: list[Item] = []
    conditions: list[Condition] = Field(default=[], max_length=200)
    procedures: dict[ProcedureName, Procedure] = {}
    views: list[View] = []
    lights: list[Light] = []
    connectors: list[Connector] = []
    joins: list[Joining] = Field(default=[], max_length=8)
    feeds: list[Feed] = Field(default=[], max_length=8)
    restless: list[Restless] = Field(default=[], max_length=20)
    console: Console | None = None
    firmware: Firmware | None = None
    listens: Listens | None = None
    sends: Sends | None = None
    signals: Signals | None = None
    standard: ByStandard | None = None

    @model_validator(mode="before")
    @classmethod
    def _by_protocol(cls, data: Any) -> Any:
        """Each channel, binding and call in the form of its protocol."""
        if not isinstance(data, dict) or not isinstance(data.get("channels"), dict):
            return data
        channels = {name: _channel(name, _alike(name, one, data["channels"])) for name, one in data["channels"].items()}
        items = data.get("items", [])
        procedures = data.get("procedures", {})
        return {
            **data,
            "channels": channels,
            "items": [_bound(at, one, channels) for at, one in enumerate(items)] if isinstance(items, list) else items,
            "procedures": {name: _called(name, one, channels) for name, one in procedures.items()}
            if isinstance(procedures, dict)
            else procedures,
        }

    @field_validator("axes")
    @classmethod
    def _axis_names(cls, axes: dict[str, Axis]) -> dict[str, Axis]:
        for name in axes:
            if not name.isidentifier() or name != name.lower() or name in ("value", "user", "password"):
                raise ValueError(f"{name!r} is no name for an axis: small letters, and no word of a driver's")
        return axes

    @model_validator(mode="after")
    def _consistent(self) -> Profile:
        for item in self.items:
            for name in item.axes:
                if name not in self.axes:
                    raise ValueError(f"{item.path} counts by {name}, which is not among the axes")
        seen: set[str] = set()
        for item in self.written_out:
            if item.path in seen:
                raise ValueError(f"{item.path} is described twice")
            seen.add(item.path)
        if len(self.by_point) < sum(1 for item in self.written_out if item.live or item.drive):
            raise ValueError("two points have the same name")
        for item in self.written_out:
            for need in item.needs:
                if need.path not in self.by_path:
                    raise ValueError(f"{item.path} needs {need.path}, which is not described")
        decided = {item.path for item in self.items if item.decided}
        for what, path in self._named_for_universes():
            if path and path not in decided:
                raise ValueError(f"{what} names {path}, which is no item that is decided")
        if self.signals is not None:
            for problem in self.signals.problems(self.axes, {item.path for item in self.items}):
                raise ValueError(f"signals: {problem}")
        return self

    @cached_property
    def jacks(self) -> dict[str, Jack]:
        """Where signals come in and go out, by name, for every place on its axis."""
        found: dict[str, Jack] = {}
        for jack in self.signals.jacks if self.signals is not None else []:
            if not jack.axis:
                found[jack.id] = jack
                continue
            for number in self.axes[jack.axis].numbers:
                one = jack.at(number, self.axes[jack.axis])
                found[one.id] = one
        return found

    @cached_property
    def jacks_by_needs(self) -> list[tuple[list[Need], dict[str, Jack]]]:
        """The same ones, put together by the settings without which it has them not."""
        found: list[tuple[list[Need], dict[str, Jack]]] = []
        for ident, jack in self.jacks.items():
            there = next((jacks for needs, jacks in found if needs == jack.needs), None)
            if there is None:
                found.append((jack.needs, there := {}))
            there[ident] = jack
        return found

    @cached_property
    def jacks_as_set(self) -> JacksAsSet:
        needed = (need.path for needs, _ in self.jacks_by_needs for need in needs)
        return JacksAsSet(tuple(dict.fromkeys(needed)))

    @cached_property
    def jacks_over(self) -> dict[str, list[Jack]]:
        """By a jack those whose signal its cable carries, too."""
        found: dict[str, list[Jack]] = {}
        for jack in self.jacks.values():
            if jack.over:
                found.setdefault(jack.over, []).append(jack)
        return found

    def _named_for_universes(self) -> list[tuple[str, str]]:
        found = []
        if self.listens is not None:
            found += [("listens", self.listens.start), ("listens", self.listens.personality)]
        if self.sends is not None:
            found += [("sends", path) for path in (self.sends.universe, self.sends.net, self.sends.subnet)]
        return found

    @property
    def of_slots(self) -> frozenset[str]:
        """Of a fixture the items that say which slots are its."""
        return (
            frozenset({self.listens.start, self.listens.personality} - {""})
            if self.listens is not None
            else frozenset()
        )

    @cached_property
    def of_place(self) -> frozenset[str]:
        """Items that say where it is found on its line, or which slots of which universe are its."""
        placed = (item for role in PLACE_ROLES if (item := self.with_role(role)) is not None)
        return frozenset({item.path for item in placed} | {path for _, path in self._named_for_universes() if path}) | (
            self.outputs.keys()
        )

    @cached_property
    def outputs(self) -> dict[str, str]:
        """Of a node its ports by the item that says what each sends: what they are called."""
        if self.sends is None:
            return {}
        found = {}
        for path, (own, numbers) in self.places.items():
            if own == self.sends.universe and path in self.by_path:
                found[path] = ", ".join(self.axes[name].called(n) for name, n in numbers.items())
        return found

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> Self:
        """A copy; what was worked out from the fields is worked out anew."""
        made = super().model_copy(update=update, deep=deep)
        for name in [name for name in made.__dict__ if name not in type(self).model_fields]:
            del made.__dict__[name]
        return made

    @cached_property
    def written_out(self) -> list[Item]:
        """Every item for every place on its axes, in the order of the file."""
        result: list[Item] = []
        for item in self.items:
            item = item.model_copy(update={"type": item.type.on_axes(self.axes)})
            axes = item.axes
            if not axes:
                result.append(item)
                continue
            spans = [self.axes[name].numbers for name in axes if name in self.axes]
            for place in itertools.product(*spans):
                result.append(self._placed(item, dict(zip(axes, place, strict=True))))
                if len(result) > MOST_ITEMS:
                    raise ValueError(f"it has more than {MOST_ITEMS} values, written out")
        return result

    def _placed(self, item: Item, numbers: dict[str, int]) -> Item:
        return item.at(numbers, {name: number - self.axes[name].first for name, number in numbers.items()})

    @cached_property
    def places(self) -> dict[str, tuple[str, dict[str, int]]]:
        """Of every path written out: the item's own path, and the number on each of its axes."""
        found: dict[str, tuple[str, dict[str, int]]] = {}
        for item in self.items:
            for place in itertools.product(*(self.axes[name].numbers for name in item.axes)):
                numbers = dict(zip(item.axes, place, strict=True))
                found[filled(item.path, numbers)] = (item.path, numbers)
        return found

    @cached_property
    def by_path(self) -> dict[str, Item]:
        """Every decided item by its path."""
        return {item.path: item for item in self.written_out if item.decided}

    @cached_property
    def order(self) -> dict[str, int]:
        """Where in the file an item stands."""
        return {path: index for index, path in enumerate(self.by_path)}

    @cached_property
    def by_point(self) -> dict[str, Item]:
        """Every live or driven item by its short name."""
        return {item.id: item for item in self.written_out if item.live or item.drive}

    @cached_property
    def targets(self) -> dict[str, list[str]]:
        """By the short name of a driven point the states that it can be driven to; empty where it takes any value."""
        return {name: item.targets or item.states for name, item in self.by_point.items() if item.drive}

    def binding(self, item: Item, channel: str) -> Binding | None:
        """How an item is had by a channel; None where it is not."""
        form = self.channels[channel]
        return item.bind.get(channel) or item.bind.get(form.like) or form.usual_binding(item)

    def bound(self, channel: str) -> list[Bound]:
        """Every item that a channel has, in the order of the file."""
        return self._bound[channel]

    def bound_live(self, channel: str) -> list[Bound]:
        """Of those the live ones."""
        return self._bound_live[channel]

    def bound_by_path(self, channel: str) -> dict[str, Bound]:
        return self._bound_by_path[channel]

    @cached_property
    def _bound(self) -> dict[str, list[Bound]]:
        found: dict[str, list[Bound]] = {}
        for channel in self.channels:
            pairs = ((item, self.binding(item, channel)) for item in self.written_out)
            found[channel] = [Bound(item, binding) for item, binding in pairs if binding is not None]
        return found

    @cached_property
    def _bound_live(self) -> dict[str, list[Bound]]:
        return {channel: [one for one in bound if one.item.live] for channel, bound in self._bound.items()}

    @cached_property
    def _bound_by_path(self) -> dict[str, dict[str, Bound]]:
        return {channel: {one.item.path: one for one in bound} for channel, bound in self._bound.items()}

    @cached_property
    def points_by_path(self) -> dict[str, Item]:
        return {item.path: item for item in self.by_point.values()}

    def channel_for(self, kind: str, protocol: str = "") -> str:
        """The name of the first channel with a driver on such a line; empty where it is only found there."""
        return next((n for n, c in self.channels.items() if c.driven and c.fits(kind, protocol)), "")

    def of_protocol(self, protocol: str) -> list[Any]:
        """Its channels of one protocol, in order of preference."""
        return [channel for channel in self.channels.values() if channel.protocol == protocol]

    def speaks(self, protocol: str) -> bool:
        return bool(self.of_protocol(protocol))

    def procedure(self, name: str) -> Procedure | None:
        return self.procedures.get(name)  # type: ignore[call-overload]

    def calls(self, name: str, channel: str) -> list[Any]:
        procedure = self.procedure(name)
        if procedure is None:
            return []
        return procedure.calls.get(channel) or procedure.calls.get(self.channels[channel].like, [])

    @property
    def away_seconds(self) -> float:
        """How long it may be gone when it starts anew."""
        restart = self.procedure("restart")
        return restart.away if restart and restart.away else 10.0

    @cached_property
    def _roles(self) -> dict[str, Item]:
        return {item.role: item for item in reversed(list(self.by_path.values())) if item.role}

    @cached_property
    def allowed(self) -> Conditions:
        """Which values may stand together."""
        return Conditions(written_out(self.conditions, self.axes), self.by_path)

    @cached_property
    def ladder(self) -> Ladder:
        """Its levels of access."""
        known = Ladder(tuple(self.levels), {})
        codes = {known.named(i.opens) or "": i for i in reversed(list(self.by_path.values())) if i.role == "password"}
        return Ladder(known.levels, codes)

    def level_for(self, paths: Iterable[str]) -> str:
        """At which level one has to be signed in to write all of these."""
        return self.ladder.highest(item.level for path in paths if (item := self.by_path.get(path)) is not None)

    def called(self, path: str) -> str:
        """A value in words: by its label, else by its path."""
        item = self.by_path.get(path) or self.points_by_path.get(path)
        return item.label or path if item is not None else path

    def with_role(self, role: str) -> Item | None:
        return self._roles.get(role)

    @property
    def leads(self) -> Any:
        """How a channel tells who is on the bus that the device leads; None where it leads none."""
        return next((channel.leads for channel in self.channels.values() if channel.leads is not None), None)

    @property
    def protocol(self) -> str:
        return next(iter(self.channels.values())).protocol

    def mode_of(self, facts: Mapping[str, str]) -> str:
        """The firmware mode that these facts show; empty for the usual one."""
        folded = {name: value.casefold() for name, value in facts.items()}
        for mode in self.modes:
            if all(folded.get(name) == value.casefold() for name, value in mode.facts.items()):
                return mode.name
        return ""

    @property
    def line_kinds(self) -> tuple[str, ...]:
        """On which kinds of line, or `serial:PROTOCOL`, it can be."""
        kinds = [line for channel in self.channels.values() for line in channel.lines]
        if self.console and self.console.kind != "serial":
            kinds.append("ip")
        return tuple(dict.fromkeys(kinds))

    @property
    def writable(self) -> list[str]:
        return [path for path, item in self.by_path.items() if not item.reserved]


def _alike(name: str, data: Any, channels: Mapping[str, Any]) -> Any:
    """A channel that is like another one has what that one has, but for what it says itself."""
    if not isinstance(data, dict) or not data.get("like"):
        return data
    other = channels.get(data["like"])
    if other is None or data["like"] == name:
        raise ValueError(f"channels.{name} is like {data['like']}, which is not among the channels")
    base = other.model_dump(exclude_unset=True) if isinstance(other, Channel) else other
    return {**base, **data} if isinstance(base, dict) else data


def _channel(name: str, data: Any) -> Any:
    if isinstance(data, Channel):
        return data
    if not isinstance(data, dict):
        raise ValueError(f"channels.{name} is no channel: it wants at least a protocol")
    form = Channel.forms.get(str(data.get("protocol")))
    if form is None:
        known = ", ".join(sorted(Channel.forms))
        raise ValueError(f"channels.{name}: no protocol {data.get('protocol')!r} is spoken here; there are {known}")
    return _formed(form, data, f"channels.{name}")


def _bound(at: int, item: Any, channels: Mapping[str, Any]) -> Any:
    if not isinstance(item, dict) or not isinstance(item.get("bind"), dict):
        return item
    path = item.get("path", f"items.{at}")
    bind = {}
    for name, data in item["bind"].items():
        if name not in channels:
            raise ValueError(f"{path} is bound to {name}, which is not among the channels")
        form = channels[name].binding
        bind[name] = data if isinstance(data, Binding) else _formed(form, data or {}, f"{path}: bind.{name}")
    return {**item, "bind": bind}


def _called(procedure: str, data: Any, channels: Mapping[str, Any]) -> Any:
    if not isinstance(data, dict) or not isinstance(data.get("calls"), dict):
        return data
    calls: dict[str, list[Any]] = {}
    for name, made in data["calls"].items():
        if name not in channels:
            raise ValueError(f"procedures.{procedure} calls by {name}, which is not among the channels")
        where = f"procedures.{procedure}.calls.{name}"
        calls[name] = [
            one if not isinstance(one, dict) else _formed(channels[name].call, one, where)
            for one in (made if isinstance(made, list) else [made])
        ]
    return {**data, "calls": calls}


def _formed(form: Any, data: Any, where: str) -> Any:
    """One part in its form; what is wrong is told with the place."""
    try:
        return form.model_validate(data)
    except ValidationError as error:
        first = error.errors()[0]
        place = ".".join([where, *(str(part) for part in first["loc"])])
        raise ValueError(f"{place}: {first['msg']}") from None
