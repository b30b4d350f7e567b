"""The form of an Art-Net channel: what ArtPollReply tells of a node, and ArtAddress and ArtIpProg set."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import ClassVar, Literal, Self

from pydantic import Field

from netloom_core.drivers.wire import Wire
from netloom_core.errors import ProtocolError
from netloom_core.profiles.abilities import Abilities, Ability
from netloom_core.profiles.binding import Binding
from netloom_core.profiles.channel import Channel, Described, FileTold
from netloom_core.protocols import artnet_firmware
from netloom_core.types.base import Part

What = Literal[
    "short_name", "long_name", "net", "subnet", "universe", "merge", "source", "direction", "failure", "rate",
    "indicators", "ip", "mask"
]  # fmt: skip
OF_PORT = ("universe", "merge", "source", "direction")
TOLD_ONLY = ("rate",)


class ArtNetBinding(Wire, Binding):
    """`what` of the node, or of its `port`, counted from 0; the next one of an axis is the next port."""

    what: What
    port: int = Field(default=0, ge=0, le=255)

    def at(self, numbers: Mapping[str, int], along: Mapping[str, int]) -> Self:
        return self.model_copy(update={"port": self.port + sum(along.values())})


class ArtNetLoad(Part):
    """That it takes firmware by ArtFirmwareMaster; `seconds` is how long it may take for one block."""

    seconds: float = Field(default=artnet_firmware.ANSWER_S, gt=0, le=120)


class ArtNetChannel(Channel, protocol="artnet"):
    binding: ClassVar[type[Binding]] = ArtNetBinding
    driven: ClassVar[bool] = True

    protocol: Literal["artnet"]
    port: int = Field(default=6454, ge=1, le=65535)
    load: ArtNetLoad | None = None

    def file_told(self, head: bytes) -> FileTold | None:
        """By the header that Art-Net gives such files."""
        if self.load is None:
            return None
        try:
            told = artnet_firmware.header(head)
        except ProtocolError:
            return None
        return FileTold(told.codes, told.version)

    def abilities(self, name: str, profile: Described) -> Abilities:
        ours = [item for item in profile.items if isinstance(profile.binding(item, name), ArtNetBinding)]
        wanted = {
            Ability.IDENTIFY: True,
            Ability.READ: any(item.decided for item in ours),
            Ability.WRITE: any(item.decided for item in ours),
            Ability.STATES: any(item.live for item in ours),
            Ability.DRIVE: any(item.drive for item in ours),
            Ability.LOAD: self.load is not None,
        }
        return Abilities(frozenset(a for a, there in wanted.items() if there), frozenset({"running"}))

    def problems(self, name: str, profile: Described) -> Iterator[str]:
        for item in profile.items:
            binding = profile.binding(item, name)
            if not isinstance(binding, ArtNetBinding):
                continue
            if binding.what in TOLD_ONLY and (item.decided or item.drive):
                yield f"{item.path}: bind.{name}: a node tells its {binding.what}, and takes none"
            if item.axes and binding.what not in OF_PORT:
                yield f"{item.path}: bind.{name}: a node has one {binding.what}, not one for each {item.axes[0]}"
