"""The form of a PJLink channel (PJLink Specifications 2.00, classes 1 and 2)."""

from __future__ import annotations

from collections.abc import Iterator
from typing import ClassVar, Literal

from pydantic import Field

from netloom_core.drivers.wire import Wire
from netloom_core.profiles.abilities import Abilities, Ability
from netloom_core.profiles.binding import Binding
from netloom_core.profiles.channel import Channel, Described

SETTABLE = {"%1POWR", "%1INPT", "%2INPT", "%1AVMT", "%2SVOL", "%2MVOL", "%2FREZ"}
ASKABLE = {
    "%1POWR", "%1INPT", "%2INPT", "%1AVMT", "%1ERST", "%1LAMP", "%1INST", "%2INST", "%1NAME", "%1INF1", "%1INF2",
    "%1INFO", "%1CLSS", "%2SNUM", "%2SVER", "%2INNM", "%2IRES", "%2RRES", "%2FILT", "%2RLMP", "%2RFIL", "%2FREZ",
}  # fmt: skip


class PjlinkBinding(Wire, Binding):
    """`command` with its class (`%1POWR`); `piece` is the part of an answer that has several: a place counted from 0 of
    those between blanks, or of single characters where `letters`. `parameter` goes with the question (`?1` asks for
    1)."""

    command: str = Field(pattern=r"^%[12][A-Z0-9]{4}$")
    piece: int | None = Field(default=None, ge=0, le=32)
    letters: bool = False
    parameter: str = Field(default="", max_length=8)

    @property
    def reads(self) -> bool:
        return self.command in ASKABLE

    @property
    def writes(self) -> bool:
        return self.command in SETTABLE and self.piece is None


class PjlinkChannel(Channel, protocol="pjlink"):
    binding: ClassVar[type[Binding]] = PjlinkBinding
    driven: ClassVar[bool] = True

    protocol: Literal["pjlink"]
    port: int = Field(default=4352, ge=1, le=65535)

    @property
    def tcp_ports(self) -> tuple[int, ...]:
        return (self.port,)

    def abilities(self, name: str, profile: Described) -> Abilities:
        ours = [(item, b) for item in profile.items if isinstance(b := profile.binding(item, name), PjlinkBinding)]
        wanted = {
            Ability.IDENTIFY: True,
            Ability.READ: any(item.decided and b.reads for item, b in ours),
            Ability.WRITE: any(item.decided and b.writes for item, b in ours),
            Ability.STATES: any(item.live and b.reads for item, b in ours),
            Ability.DRIVE: any(item.drive and b.writes for item, b in ours),
            Ability.SIGN_IN: True,
        }
        return Abilities(frozenset(a for a, there in wanted.items() if there), frozenset({"running"}))

    def problems(self, name: str, profile: Described) -> Iterator[str]:
        for item in profile.items:
            binding = profile.binding(item, name)
            if not isinstance(binding, PjlinkBinding):
                continue
            if not binding.reads and (item.live or item.decided):
                yield f"{item.path}: bind.{name}: {binding.command} cannot be asked"
            if not binding.writes and (item.drive or (item.decided and not item.reserved)):
                yield f"{item.path}: bind.{name}: {binding.command} cannot be set; say why it is reserved"
