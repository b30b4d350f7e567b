"""The form of an SNMP channel: scalars and columns of tables, by v2c (RFC 3416) or v3 (RFC 3414)."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import ClassVar, Literal

from pydantic import Field

from netloom_core.drivers.wire import Wire
from netloom_core.profiles.abilities import Abilities, Ability
from netloom_core.profiles.binding import Binding, Call
from netloom_core.profiles.channel import Channel, Described

Syntax = Literal["integer", "unsigned", "gauge", "ticks", "text", "octets", "ip", "oid"]
_OID = re.compile(r"^\.?\d+(\.(\d+|\{[a-z][a-z0-9_]*([+-]\d+)?\}))+$")


class SnmpBinding(Wire, Binding):
    """`oid` with the instance: `.0` of a scalar, `{port}` for the place on an axis. `startup` is where the kept
    value is.
    """

    oid: str = Field(max_length=300)
    syntax: Syntax = "integer"
    read_only: bool = False
    startup: str = Field(default="", max_length=300)

    @property
    def writes(self) -> bool:
        return not self.read_only


class SnmpCall(Call):
    oid: str = Field(max_length=300)
    syntax: Syntax = "integer"
    value: str | int


class SnmpChannel(Channel, protocol="snmp"):
    """`identity` are facts by the objects that tell them, `interfaces` says that the MAC addresses of its interfaces
    (ifPhysAddress, RFC 2863) are facts, too. `most` object values go into one answer; `community` is the one by which
    its factory lets others write. `traps` is the port to which it sends notifications, 162 with most, 0 where it
    sends none: what they say is not believed, but makes Netloom look at once."""

    binding: ClassVar[type[Binding]] = SnmpBinding
    call: ClassVar[type[Call]] = SnmpCall

    protocol: Literal["snmp"]
    port: int = Field(default=161, ge=1, le=65535)
    identity: dict[str, str] = {}
    interfaces: bool = False
    constant: dict[str, str] = {}
    community: str = Field(default="", max_length=60)
    most: int = Field(default=48, ge=1, le=200)
    answer_seconds: float = Field(default=2.0, gt=0, le=20)
    traps: int = Field(default=0, ge=0, le=65535)

    @property
    def driven(self) -> bool:  # type: ignore[override]
        return self.interfaces or bool({*self.identity, *self.constant} & {"serial", "mac", "uuid"})

    def abilities(self, name: str, profile: Described) -> Abilities:
        if not self.driven:
            return Abilities()
        ours = [(item, b) for item in profile.items if isinstance(b := profile.binding(item, name), SnmpBinding)]
        wanted = {
            Ability.IDENTIFY: True,
            Ability.READ: any(item.decided for item, _ in ours),
            Ability.WRITE: any(item.decided and b.writes for item, b in ours),
            Ability.STATES: any(item.live for item, _ in ours),
            Ability.HINT: bool(self.traps) and any(item.live for item, _ in ours),
            Ability.DRIVE: any(item.drive and b.writes for item, b in ours),
            Ability.STORE: bool(profile.calls("store", name)),
            Ability.RESTART: bool(profile.calls("restart", name)),
            Ability.SIGN_IN: True,
        }
        sets = {"running"} | ({"startup"} if any(b.startup for _, b in ours) else set())
        return Abilities(frozenset(ability for ability, there in wanted.items() if there), frozenset(sets))

    def problems(self, name: str, profile: Described) -> Iterator[str]:
        where = f"channels.{name}"
        for fact, oid in self.identity.items():
            if not _OID.match(oid):
                yield f"{where}.identity.{fact}: {oid!r} is no object identifier in numbers"
        yield from self.startup_gaps(name, profile, lambda b: bool(b.startup))
        for item in profile.items:
            binding = profile.binding(item, name)
            if not isinstance(binding, SnmpBinding):
                continue
            for oid in (binding.oid, binding.startup or binding.oid):
                if not _OID.match(oid):
                    yield f"{item.path}: bind.{name}: {oid!r} is no object identifier in numbers"
            if item.drive and binding.read_only:
                yield f"{item.path}: it can be driven, but bind.{name} is read-only"
            if item.decided and binding.read_only and not item.reserved:
                yield f"{item.path}: bind.{name} is read-only; say why it is reserved"
        if not self.driven and any(profile.binding(item, name) for item in profile.items):
            yield f"{where}.identity: without serial or mac nobody can tell two units of this model apart"
