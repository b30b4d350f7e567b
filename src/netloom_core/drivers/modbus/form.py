"""The form of a Modbus channel (Modbus application protocol V1.1b3), RTU on a serial line or TCP."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any, ClassVar, Literal, Self

from pydantic import Field, field_validator

from netloom_core.drivers.wire import Wire, is_number
from netloom_core.profiles.abilities import Abilities, Ability
from netloom_core.profiles.binding import Binding, Call
from netloom_core.profiles.channel import Channel, Described
from netloom_core.profiles.item import Item
from netloom_core.types.base import Part
from netloom_core.types.boolean import Boolean
from netloom_core.types.choice import Choice
from netloom_core.types.network import Ipv4, Mac, Netmask
from netloom_core.types.text import Text
from netloom_core.types.time import TimeOfDay

Kind = Literal["u16", "s16", "u32", "s32", "f32", "bit", "text"]
Where = Literal["coil", "discrete", "holding", "input"]


class ModbusBinding(Wire, Binding):
    """`register` counts from 0, as on the wire. `step` is how far the next one of an axis lies.

    `bit` is one of a register's, 0 the least, and `bit_step` how far the next one of an axis lies; `length` the
    registers of a text; `low_first` where the low word of 32 bits comes first. `startup` is where the kept value is,
    for a device that tells it elsewhere.
    """

    table: Where = "holding"
    register_: int = Field(alias="register", ge=0, le=65535)
    step: dict[str, int] = {}
    kind: Kind = "u16"
    bit: int = Field(default=0, ge=0, le=15)
    bit_step: int = Field(default=0, ge=0, le=8)
    length: int = Field(default=1, ge=1, le=60)
    low_first: bool | None = None
    startup: int | None = Field(default=None, ge=0, le=65535)

    @field_validator("step", mode="before")
    @classmethod
    def _for_any(cls, value: Any) -> Any:
        """`step: 2` is for whatever axis the item has."""
        return {"*": value} if isinstance(value, int) else value

    def at(self, numbers: Mapping[str, int], along: Mapping[str, int]) -> Self:
        far = sum(n * self.step.get(axis, self.step.get("*", self.size)) for axis, n in along.items())
        bit = self.bit + sum(along.values()) * self.bit_step
        changed: dict[str, Any] = {"register_": self.register_ + far + bit // 16, "bit": bit % 16}
        if self.startup is not None:
            changed["startup"] = self.startup + far
        return self.model_copy(update=changed)

    @property
    def bits(self) -> bool:
        """Whether it is in a table of single bits."""
        return self.table in ("coil", "discrete")

    @property
    def size(self) -> int:
        """How many registers, or bits of such a table, it takes."""
        if self.bits:
            return 1
        return {"u32": 2, "s32": 2, "f32": 2, "text": self.length}.get(self.kind, 1)

    @property
    def writes(self) -> bool:
        return self.table in ("coil", "holding")


class ModbusCall(Call):
    table: Literal["coil", "holding"] = "holding"
    register_: int = Field(alias="register", ge=0, le=65535)
    value: int = Field(ge=0, le=65535)


class Told(Part):
    """A fact in registers: a text of so many, or a number."""

    register_: int = Field(alias="register", ge=0, le=65535)
    length: int = Field(default=1, ge=1, le=60)
    table: Literal["holding", "input"] = "holding"
    kind: Literal["text", "number", "hex"] = "text"


class ModbusChannel(Channel, protocol="modbus"):
    """`identity` has facts by name in registers; Read Device Identification (clause 6.21) is asked too where
    `names_itself`. Requests are joined over gaps of at most `gap` registers that exist."""

    binding: ClassVar[type[Binding]] = ModbusBinding
    call: ClassVar[type[Call]] = ModbusCall

    protocol: Literal["modbus"]
    port: int = Field(default=502, ge=1, le=65535)
    speeds: list[int] = Field(default=[9600, 19200], max_length=12)
    names_itself: bool = True
    identity: dict[str, Told] = {}
    constant: dict[str, str] = {}
    gap: int = Field(default=0, ge=0, le=60)
    most: int = Field(default=125, ge=1, le=125)
    single: bool = False  # whether it takes only function codes 5 and 6
    low_first: bool = False
    unit: int = Field(default=255, ge=0, le=255)
    over: list[Literal["serial", "tcp"]] = ["serial", "tcp"]
    restarts_silent: bool = True
    answer_seconds: float = Field(default=1.0, gt=0, le=10)

    @property
    def lines(self) -> tuple[str, ...]:
        return tuple(name for way, name in (("serial", "serial:modbus"), ("tcp", "ip")) if way in self.over)

    @property
    def tcp_ports(self) -> tuple[int, ...]:
        return (self.port,) if "tcp" in self.over else ()

    @property
    def driven(self) -> bool:  # type: ignore[override]
        return bool({*self.identity, *self.constant} & {"serial", "mac", "uuid"})

    def abilities(self, name: str, profile: Described) -> Abilities:
        if not self.driven:
            return Abilities()
        ours = [(item, b) for item in profile.items if isinstance(b := profile.binding(item, name), ModbusBinding)]
        wanted = {
            Ability.IDENTIFY: True,
            Ability.READ: any(item.decided for item, _ in ours),
            Ability.WRITE: any(item.decided and b.writes for item, b in ours),
            Ability.STATES: any(item.live for item, _ in ours),
            Ability.DRIVE: any(item.drive for item, _ in ours),
            Ability.STORE: bool(profile.calls("store", name)),
            Ability.RESTART: bool(profile.calls("restart", name)),
        }
        sets = {"running"} | ({"startup"} if any(b.startup is not None for _, b in ours) else set())
        return Abilities(frozenset(ability for ability, there in wanted.items() if there), frozenset(sets))

    def problems(self, name: str, profile: Described) -> Iterator[str]:
        yield from self.startup_gaps(name, profile, lambda b: b.startup is not None)
        for item in profile.written_out:
            binding = profile.binding(item, name)
            if not isinstance(binding, ModbusBinding):
                continue
            where = f"{item.path}: bind.{name}"
            if binding.register_ + binding.size > 65536:
                yield f"{where}: register {binding.register_} is beyond 65535"
            if not binding.writes and (item.drive or (item.decided and not item.reserved)):
                yield f"{where}: nothing can be written to a {binding.table} register; say why it is reserved"
            if (trouble := _carries(item, binding)) is not None:
                yield f"{where}: {trouble}"
        if self.driven is False and any(profile.binding(item, name) for item in profile.items):
            yield f"channels.{name}.identity: without serial or mac nobody can tell two units of this model apart"


WRITTEN = (Text, Ipv4, Netmask, Mac, TimeOfDay)


def _carries(item: Item, binding: ModbusBinding) -> str | None:
    """What keeps that binding from carrying values of the item's type."""
    if binding.kind == "text":
        return None if isinstance(item.type, WRITTEN) and not binding.bits else "text is of type text, in registers"
    if isinstance(item.type, Text) or not (is_number(item) or isinstance(item.type, Boolean | Choice)):
        return f"a register holds no {item.type.name}"
    if isinstance(item.type, Choice):
        options = [str(option.value) for option in item.type.options]
        if not all(binding.texts.get(one, one).lstrip("-").isdecimal() for one in options):
            return "each option needs its number: words"
    return None
