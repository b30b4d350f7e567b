"""The form of an RDM channel: parameters of a unit behind a lighting node, E1.20 clause 10."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import ClassVar, Literal, Self

from pydantic import Field, field_validator

from netloom_core.drivers.wire import Wire
from netloom_core.profiles.abilities import Abilities, Ability
from netloom_core.profiles.binding import Binding, Call
from netloom_core.profiles.channel import Channel, Described

Kind = Literal["unsigned", "signed", "text", "bytes"]
HEX = r"^([0-9a-f]{2})*$"


def number(value: object) -> object:
    """Parameter numbers are written as in the standard, 0x00F0."""
    return int(value, 16) if isinstance(value, str) and value.lower().startswith("0x") else value


class RdmBinding(Wire, Binding):
    """`parameter` by its number. Of the answer it is `size` bytes from `offset`; for text and bytes, all from there.

    `ask` is what a question carries (a sensor's number, say), whose last byte counts along an axis.
    Where setting takes other bytes than these, `before` is what stands before the value.
    """

    parameter: int = Field(ge=1, le=0xFFFF)
    kind: Kind = "unsigned"
    offset: int = Field(default=0, ge=0, le=230)
    size: int = Field(default=1, ge=1, le=4)
    ask: str = Field(default="", pattern=HEX, max_length=64)
    before: str = Field(default="", pattern=HEX, max_length=64)
    read_only: bool = False

    _number = field_validator("parameter", mode="before")(number)

    @property
    def writes(self) -> bool:
        return not self.read_only

    def at(self, numbers: Mapping[str, int], along: Mapping[str, int]) -> Self:
        data = bytes.fromhex(self.ask)
        if not data:
            return self
        return self.model_copy(update={"ask": (data[:-1] + bytes(((data[-1] + sum(along.values())) & 0xFF,))).hex()})


class RdmCall(Call):
    """A parameter that is set; `data` in hexadecimal digits."""

    parameter: int = Field(ge=1, le=0xFFFF)
    data: str = Field(default="", pattern=HEX, max_length=462)

    _number = field_validator("parameter", mode="before")(number)


class RdmChannel(Channel, protocol="rdm"):
    """By way of an Art-Net node on `port`. `answer_seconds` counts for each message, on two carriers."""

    binding: ClassVar[type[Binding]] = RdmBinding
    call: ClassVar[type[Call]] = RdmCall
    driven: ClassVar[bool] = True

    protocol: Literal["rdm"]
    port: int = Field(default=6454, ge=1, le=65535)
    answer_seconds: float = Field(default=1.5, gt=0, le=20)

    def abilities(self, name: str, profile: Described) -> Abilities:
        ours = [(item, b) for item in profile.items if isinstance(b := profile.binding(item, name), RdmBinding)]
        wanted = {
            Ability.IDENTIFY: True,
            Ability.READ: any(item.decided for item, _ in ours),
            Ability.WRITE: any(item.decided and b.writes for item, b in ours),
            Ability.STATES: any(item.live for item, _ in ours),
            Ability.DRIVE: any(item.drive and b.writes for item, b in ours),
            Ability.STORE: bool(profile.calls("store", name)),
            Ability.RESTART: bool(profile.calls("restart", name)),
        }
        return Abilities(frozenset(a for a, there in wanted.items() if there), frozenset({"running"}))

    def problems(self, name: str, profile: Described) -> Iterator[str]:
        for item in profile.items:
            binding = profile.binding(item, name)
            if not isinstance(binding, RdmBinding):
                continue
            where = f"{item.path}: bind.{name}"
            if item.axes and not binding.ask:
                yield f"{where}: one parameter without `ask` is the same at each place of {item.axes[0]}"
            if item.drive and binding.read_only:
                yield f"{item.path}: it can be driven, but bind.{name} is read-only"
            if item.decided and binding.read_only and not item.reserved:
                yield f"{where} is read-only; say why it is reserved"
