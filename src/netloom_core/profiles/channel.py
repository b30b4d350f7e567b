"""What a profile's channels have in common; each protocol's own is in its driver's folder, and registers itself.

A channel is one way in. Its form knows the forms of its bindings (how one item is read, written,
watched and driven by it) and of its calls (what a procedure sends), and what can be had by it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any, ClassVar, NamedTuple, Protocol

from pydantic import Field

from netloom_core.profiles.abilities import Abilities
from netloom_core.profiles.binding import Binding, Call, NoBinding
from netloom_core.profiles.item import Item
from netloom_core.types.base import Part


class Described(Protocol):
    """What a channel may ask of the profile that it belongs to."""

    items: list[Item]
    channels: dict[str, Channel]

    @property
    def written_out(self) -> list[Item]: ...

    def binding(self, item: Item, channel: str) -> Binding | None: ...

    def calls(self, name: str, channel: str) -> list[Any]: ...


class FileTold(NamedTuple):
    """What the header of a firmware file says, where the protocol itself has one: for which product codes it is."""

    codes: tuple[str, ...]
    version: str


class Channel(Part):
    """`on` are the kinds of line that it may lie on, `serial:PROTOCOL` where a line is only of that protocol.

    `like` names another channel whose settings, bindings and calls it shares: the same talk over another carrier.
    With `own_port` the device is a serial port by itself, as on USB: while it is away there is no such port.
    """

    forms: ClassVar[dict[str, type[Channel]]] = {}
    protocol_name: ClassVar[str] = ""
    binding: ClassVar[type[Binding]] = NoBinding
    call: ClassVar[type[Call]] = Call
    on: ClassVar[tuple[str, ...]] = ("ip",)
    driven: ClassVar[bool] = False  # whether a driver speaks it

    protocol: str
    like: str = ""
    port: int = Field(default=0, ge=0, le=65535)
    own_port: bool = False

    def __init_subclass__(cls, protocol: str = "", **kwargs: Any) -> None:
        super().__init_subclass__(**kwargs)
        if protocol:
            cls.protocol_name = protocol
            cls.forms[protocol] = cls

    @property
    def lines(self) -> tuple[str, ...]:
        """Where this very channel may lie; some protocols have several carriers."""
        return self.on

    def fits(self, kind: str, protocol: str = "") -> bool:
        """Whether it is the way in on a line of that kind; `protocol` is the one spoken on a serial line."""
        return kind in self.lines or f"{kind}:{protocol}" in self.lines

    @property
    def tcp_ports(self) -> tuple[int, ...]:
        """On which it takes connections."""
        return ()

    @property
    def known_first(self) -> bool:
        """Whether the device says who it is before anybody signs in."""
        return True

    def file_told(self, head: bytes) -> FileTold | None:
        """What a firmware file is, by its first bytes, where this protocol has a form for such files."""
        return None

    @property
    def leads(self) -> Any:
        """How it tells who is on the bus that the device leads; None where it leads none."""
        return None

    def usual_binding(self, item: Item) -> Binding | None:
        """For an item that the profile does not bind to it; None where it is not had by this channel."""
        return None

    def abilities(self, name: str, profile: Described) -> Abilities:
        """What can be done by it on this model."""
        return Abilities()

    def startup_gaps(self, name: str, profile: Described, tells: Callable[[Any], bool]) -> Iterator[str]:
        """Items whose kept value is not told, where that of others is: each would look as if it were never kept."""
        items = [item for item in profile.items if item.decided and not item.secret and item.kept == "when-stored"]
        ours = [(item, binding) for item in items if (binding := profile.binding(item, name)) is not None]
        if any(tells(binding) for _, binding in ours):
            for item, binding in ours:
                if not tells(binding):
                    yield f"{item.path}: bind.{name} does not say how its kept value is read, as others do"

    def problems(self, name: str, profile: Described) -> Iterator[str]:
        """What of the profile would fail on it at run time: one sentence each, with the place."""
        return iter(())
