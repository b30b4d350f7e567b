"""The form of an OSDP channel: a parameter table in manufacturer-specific commands, and the standard's own points."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import ClassVar, Literal, Self

from pydantic import Field

from netloom_core.profiles.abilities import Abilities, Ability
from netloom_core.profiles.binding import Binding, Call
from netloom_core.profiles.channel import Channel, Described
from netloom_core.profiles.item import Item
from netloom_core.protocols.osdp.messages import COLOURS
from netloom_core.types.base import Part
from netloom_core.types.boolean import Boolean
from netloom_core.types.choice import Choice
from netloom_core.types.integer import MOST, Integer


class OsdpBinding(Binding):
    """`entry` is an entry of the parameter table, the first of an axis; the others follow it by `step`.

    Points are of the standard: `output` and `input` by number from 0, `local` for tamper and power, `lamp`, `sounder`
    and `text` of a `reader`, which nothing tells back. `key` is the base key of its secure channel.
    """

    entry: int | None = Field(default=None, ge=0, le=255)
    step: int = Field(default=1, ge=1, le=64)
    output: int | None = Field(default=None, ge=0, le=63)
    input: int | None = Field(default=None, ge=0, le=63)
    local: Literal["", "tamper", "power"] = ""
    reader: int = Field(default=0, ge=0, le=127)
    lamp: int | None = Field(default=None, ge=0, le=127)
    sounder: bool = False
    text: bool = False
    key: bool = False

    @property
    def drives(self) -> bool:
        return self.output is not None or self.lamp is not None or self.sounder or self.text

    def at(self, numbers: Mapping[str, int], along: Mapping[str, int]) -> Self:
        places = sum(along.values())
        changed: dict[str, int] = {}
        if self.entry is not None:
            changed["entry"] = self.entry + places * self.step
        for name in ("output", "input", "lamp"):
            if getattr(self, name) is not None:
                changed[name] = getattr(self, name) + places
        return self.model_copy(update=changed)


class OsdpCall(Call):
    """A manufacturer-specific operation without data."""

    operation: int = Field(ge=0, le=255)


class Table(Part):
    """Operation codes of a parameter table carried in manufacturer-specific commands."""

    vendor: str = Field(pattern=r"^[0-9A-F]{6}$")
    read: int = Field(ge=0, le=255)
    write: int = Field(ge=0, le=255)


class OsdpLoad(Part):
    """How it takes a firmware file. `kind` is its type of file, `fragment` the most bytes that it takes at once, until
    it says how many; `seconds` is how long it may be busy with the whole file before it says that it has it."""

    kind: int = Field(default=1, ge=0, le=255)
    fragment: int = Field(default=96, ge=16, le=1400)
    seconds: float = Field(default=60, gt=0, le=600)


class OsdpChannel(Channel, protocol="osdp"):
    """A unit of that vendor (IEEE organisation number) and model; without them any unit, by the standard alone."""

    binding: ClassVar[type[Binding]] = OsdpBinding
    call: ClassVar[type[Call]] = OsdpCall
    on: ClassVar[tuple[str, ...]] = ("serial:osdp",)
    driven: ClassVar[bool] = True

    protocol: Literal["osdp"]
    vendor: str = Field(default="", pattern=r"^([0-9A-F]{6})?$")
    model_number: int | None = Field(default=None, ge=0, le=255)
    speeds: list[int] = [9600, 19200, 38400, 57600, 115200, 230400]
    table: Table | None = None
    secure: Literal["no", "may", "must"] = "may"
    load: OsdpLoad | None = None
    default_key: bool = False  # whether SCBK-D may be tried where no key was given

    def abilities(self, name: str, profile: Described) -> Abilities:
        can = {Ability.IDENTIFY, Ability.READ, Ability.READDRESS}
        if self.table is not None:
            can.add(Ability.WRITE)
        if profile.calls("store", name):
            can.add(Ability.STORE)
        if profile.calls("restart", name):
            can.add(Ability.RESTART)
        if self.load is not None:
            can.add(Ability.LOAD)
        if any(b.key for item in profile.items if isinstance(b := item.bind.get(name), OsdpBinding)):
            can |= {Ability.WRITE, Ability.SIGN_IN}
        if any(item.live for item in profile.items):
            can.add(Ability.STATES)
        if any(item.drive for item in profile.items):
            can.add(Ability.DRIVE)
        return Abilities(frozenset(can), frozenset({"running", "startup"} if self.table else {"running"}))

    def problems(self, name: str, profile: Described) -> Iterator[str]:
        entries: dict[int, str] = {}
        only = len([c for c in profile.channels.values() if c.driven]) == 1
        for item in profile.written_out:
            binding = item.bind.get(name)
            if item.role in ("address", "speed"):
                if not _whole(item):
                    yield f"{item.path}: over OSDP the {item.role} is a whole number"
                continue
            if not isinstance(binding, OsdpBinding):
                if only:
                    yield f"{item.path}: it is not bound to {name}, and there is no other way to it"
                continue
            if item.secret and binding.key:
                if self.secure == "no":
                    yield f"{item.path}: channels.{name} has no secure channel, so there is no key to it"
                continue
            if item.decided:
                yield from self._entry(name, item, binding, entries)
            if item.drive and not binding.drives:
                yield f"{item.path}: over OSDP outputs, lamps, sounders and texts are driven: bind.{name}.output"
            if binding.lamp is not None and not set(item.states) <= set(COLOURS):
                yield f"{item.path}: a lamp is one of {', '.join(COLOURS)}"
            if item.live and len(item.states) != 2:
                yield f"{item.path}: OSDP tells two states, {len(item.states)} are named"
            if item.live and binding.output is None and binding.input is None and not binding.local:
                yield f"{item.path}: OSDP tells outputs, inputs, tamper and power only"

    def _entry(self, name: str, item: Item, binding: OsdpBinding, entries: dict[int, str]) -> Iterator[str]:
        if binding.entry is None:
            yield f"{item.path}: bind.{name} has no entry of the parameter table"
            return
        if self.table is None:
            yield f"{item.path}: it names an entry of a parameter table, but channels.{name} has none"
        if binding.entry > 255:
            yield f"{item.path}: entry {binding.entry} is beyond the parameter table's 255"
        if binding.entry in entries:
            yield f"{item.path}: entry {binding.entry} of the table is {entries[binding.entry]} already"
        entries[binding.entry] = item.path
        if not _whole(item):
            yield f"{item.path}: a parameter table holds whole numbers from 0 to {MOST}"


def _whole(item: Item) -> bool:
    kind = item.type
    if isinstance(kind, Choice):
        return all(isinstance(option.value, int) and 0 <= option.value <= MOST for option in kind.options)
    return isinstance(kind, Boolean) or (isinstance(kind, Integer) and kind.minimum >= 0 and kind.maximum <= MOST)
