"""The form of a binary protocol in frames, over USB, serial or TCP: for units whose only way in is one of their own."""

from __future__ import annotations

from collections.abc import Iterator
from typing import ClassVar, Literal

from pydantic import Field

from netloom_core.drivers.framed.frames import Framing
from netloom_core.drivers.framed.layout import BadLayout, parsed
from netloom_core.drivers.wire import Wire
from netloom_core.profiles.abilities import Abilities, Ability
from netloom_core.profiles.binding import Binding, Call
from netloom_core.profiles.channel import Channel, Described
from netloom_core.profiles.fill import PLACE
from netloom_core.types.base import Part


class Query(Part):
    """A message, and the layout of its answer; the named fields of that are facts."""

    send: str = Field(max_length=200)
    answer: str = Field(max_length=200)


class Pieces(Part):
    """A value that comes and goes in pieces: `offset` and `count` are filled in, `data` is a piece of so many bytes."""

    ask: str = Field(max_length=200)
    answer: str = Field(max_length=200)
    set: str = Field(default="", max_length=200)
    took: str = Field(default="", max_length=200)
    size: int = Field(ge=1, le=65536)
    piece: int = Field(default=32, ge=1, le=1024)


class FramedLoad(Part):
    """How it takes a firmware file in blocks. `begin` says that one comes, with the fields `size` and `crc` (CRC-32 of
    all of it), `block` is one of them with `offset`, `count` and `data`, at most `piece` bytes; an `offset` in its
    answer is held against it. `end` says that all of it is there; its answer may take `seconds`.

    `held` asks how much of the file it has already: `size` and `crc` in its answer say of which, `held` how many
    bytes. Cut off, it goes on from there.
    """

    begin: Query
    block: Query
    end: Query
    held: Query | None = None
    piece: int = Field(default=128, ge=1, le=4096)
    seconds: float = Field(default=30, gt=0, le=600)


class FramedBinding(Wire, Binding):
    """`ask` and `answer` read one value, `set` writes it and `took` is the answer to that. `told` announces a change.

    For a curve `x_factor` is the one of its x, `factor` that of its y. `pieces` is for bytes that do not fit one frame.
    """

    ask: str = Field(default="", max_length=200)
    answer: str = Field(default="", max_length=200)
    set: str = Field(default="", max_length=200)
    took: str = Field(default="", max_length=200)
    told: str = Field(default="", max_length=200)
    startup_ask: str = Field(default="", max_length=200)
    x_factor: float = 1.0
    pieces: Pieces | None = None

    @property
    def reads(self) -> bool:
        return bool(self.ask or self.pieces)

    @property
    def writes(self) -> bool:
        return bool(self.set or (self.pieces and self.pieces.set))


class FramedCall(Call):
    send: str = Field(max_length=200)
    answer: str = Field(default="", max_length=200)


class Refusal(Part):
    """An answer that says no; its field `code`, where it has one, chooses the words."""

    answer: str = Field(max_length=200)
    says: dict[int, str] = {}
    means: Literal["refused", "busy", "unknown", "sign-in", "new-code"] = "refused"


class FramedChannel(Channel, protocol="framed"):
    """`sign_in` is a message with `text…:password`; its answer lets in, a refusal does not."""

    binding: ClassVar[type[Binding]] = FramedBinding
    call: ClassVar[type[Call]] = FramedCall

    protocol: Literal["framed"]
    over: Literal["serial", "tcp"] = "serial"
    speeds: list[int] = Field(default=[115200], max_length=12)
    parity: Literal["N", "E", "O"] = "N"
    framing: Framing
    identify: list[Query] = Field(default=[], max_length=8)
    constant: dict[str, str] = {}
    sign_in: Query | None = None
    refusals: list[Refusal] = Field(default=[], max_length=12)
    answer_seconds: float = Field(default=1.0, gt=0, le=20)
    load: FramedLoad | None = None

    @property
    def lines(self) -> tuple[str, ...]:
        return ("serial:dialogue", "serial:") if self.over == "serial" else ("ip",)

    @property
    def tcp_ports(self) -> tuple[int, ...]:
        return (self.port,) if self.over == "tcp" else ()

    @property
    def driven(self) -> bool:  # type: ignore[override]
        return bool(self.identify)

    def abilities(self, name: str, profile: Described) -> Abilities:
        if not self.driven:
            return Abilities()
        ours = [(item, b) for item in profile.items if isinstance(b := profile.binding(item, name), FramedBinding)]
        wanted = {
            Ability.IDENTIFY: True,
            Ability.READ: any(item.decided and b.reads for item, b in ours),
            Ability.WRITE: any(item.decided and b.writes for item, b in ours),
            Ability.STATES: any(item.live and b.reads for item, b in ours),
            Ability.DRIVE: any(item.drive and b.writes for item, b in ours),
            Ability.STORE: bool(profile.calls("store", name)),
            Ability.RESTART: bool(profile.calls("restart", name)),
            Ability.SIGN_IN: self.sign_in is not None,
            Ability.LOAD: self.load is not None,
            Ability.RESUME: self.load is not None and self.load.held is not None,
        }
        sets = {"running"} | ({"startup"} if any(b.startup_ask for _, b in ours) else set())
        return Abilities(frozenset(a for a, there in wanted.items() if there), frozenset(sets))

    def problems(self, name: str, profile: Described) -> Iterator[str]:
        where = f"channels.{name}"
        for query in [*self.identify, *([self.sign_in] if self.sign_in else [])]:
            yield from _layout(f"{where}.identify", query.send)
            yield from _layout(f"{where}.identify", query.answer)
        for refusal in self.refusals:
            yield from _layout(f"{where}.refusals", refusal.answer)
        if self.load is not None:
            yield from _load(f"{where}.load", self.load)
        yield from self.startup_gaps(name, profile, lambda b: bool(b.startup_ask))
        for item in profile.items:
            binding = profile.binding(item, name)
            if not isinstance(binding, FramedBinding):
                continue
            place = f"{item.path}: bind.{name}"
            for field in ("ask", "answer", "set", "took", "told", "startup_ask"):
                yield from _layout(f"{place}.{field}", getattr(binding, field))
            if binding.ask and not _names(binding.answer) & {"value", "points"}:
                yield f"{place}.answer: it has no field named value, and no points"
            if binding.set and not _names(binding.set) & {"value", "points"}:
                yield f"{place}.set: it has no field named value, and no points"
            if item.decided and not item.secret and not binding.reads:
                yield f"{place}: nothing reads it"
            if (item.drive or (item.decided and not item.reserved)) and not binding.writes:
                yield f"{place}: nothing sets it; say why it is reserved"


def _load(where: str, load: FramedLoad) -> Iterator[str]:
    known = {"begin": {"size", "crc"}, "block": {"offset", "count", "data"}, "end": {"size", "crc"},
             "held": {"size", "crc"}}  # fmt: skip
    for name, fields in known.items():
        query: Query | None = getattr(load, name)
        if query is None:
            continue
        yield from _layout(f"{where}.{name}.send", query.send)
        yield from _layout(f"{where}.{name}.answer", query.answer)
        if strange := _names(query.send) - fields:
            yield f"{where}.{name}.send: nobody knows what {', '.join(sorted(strange))} is there"
        if not query.answer:
            yield f"{where}.{name}: without an answer nobody knows whether it was taken"
    if not {"offset", "data"} <= _names(load.block.send):
        yield f"{where}.block.send: it needs the fields offset and data"
    elif (room := _room(load.block.send)) is not None and room < load.piece:
        yield f"{where}.piece: {load.piece} bytes do not fit the {room} of its field data"
    if load.held is not None and "held" not in _names(load.held.answer):
        yield f"{where}.held.answer: it has no field named held"


def sample(text: str) -> str:
    """The layout with a byte where an axis is named."""
    return PLACE.sub("00", text)


def _room(text: str) -> int | None:
    """Bytes that its field data takes; None where it takes any number."""
    try:
        return next((field.size for field in parsed(sample(text)).fields if field.name == "data"), None)
    except BadLayout:
        return None


def _names(text: str) -> set[str]:
    try:
        layout = parsed(sample(text))
    except BadLayout:
        return set()
    return layout.names | ({"points"} if layout.repeated else set())


def _layout(where: str, text: str) -> Iterator[str]:
    try:
        parsed(sample(text))
    except BadLayout as error:
        yield f"{where}: {error}"
