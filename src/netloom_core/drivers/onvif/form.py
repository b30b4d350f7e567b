"""The form of an ONVIF channel: operations of the device service, as trees.

Pointers lead into the answer's tree; a number counts elements of one name from 0, however many there are. In what is
set, `{value}` is the value, and `{now:/pointer}` what the operation that reads told there, since most are set as a
whole.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, ClassVar, Literal

from pydantic import Field

from netloom_core.drivers.wire import Wire
from netloom_core.profiles.abilities import Abilities, Ability
from netloom_core.profiles.binding import Binding, Call
from netloom_core.profiles.channel import Channel, Described

Service = Literal["device", "io", "events"]


class OnvifCall(Call):
    operation: str = Field(pattern=r"^[A-Z][A-Za-z0-9]+$")
    service: Service = "device"
    body: dict[str, Any] = {}


class OnvifBinding(Wire, Binding):
    """`get` is the operation that reads, `where` is the place of the value in its answer; `set` the one that writes.

    A state that is told by events alone has their `topic`, without the prefixes of namespaces, the name of the data
    that is the `state`, and `source`: where in the answer to `get` the token of its own stands.
    """

    get: OnvifCall | None = None
    where: str = ""
    set: OnvifCall | None = None
    topic: str = ""
    state: str = "LogicalState"
    source: str = ""

    @property
    def reads(self) -> bool:
        return self.get is not None and bool(self.where)

    @property
    def writes(self) -> bool:
        return self.set is not None


class OnvifChannel(Channel, protocol="onvif"):
    """`paths` are those of its services where it does not tell them (GetServices)."""

    binding: ClassVar[type[Binding]] = OnvifBinding
    call: ClassVar[type[Call]] = OnvifCall
    driven: ClassVar[bool] = True

    protocol: Literal["onvif"]
    port: int = Field(default=80, ge=1, le=65535)
    paths: dict[Service, str] = {
        "device": "/onvif/device_service",
        "io": "/onvif/deviceIO_service",
        "events": "/onvif/event_service",
    }

    @property
    def tcp_ports(self) -> tuple[int, ...]:
        return (self.port,)

    def abilities(self, name: str, profile: Described) -> Abilities:
        ours = [(item, b) for item in profile.items if isinstance(b := profile.binding(item, name), OnvifBinding)]
        wanted = {
            Ability.IDENTIFY: True,
            Ability.READ: any(item.decided and b.reads for item, b in ours),
            Ability.WRITE: any(item.decided and b.writes for item, b in ours),
            Ability.STATES: any(item.live and (b.reads or b.topic) for item, b in ours),
            Ability.WATCH: any(item.live and b.topic for item, b in ours),
            Ability.DRIVE: any(item.drive and b.writes for item, b in ours),
            Ability.RESTART: bool(profile.calls("restart", name)),
            Ability.STORE: bool(profile.calls("store", name)),
            Ability.SIGN_IN: True,
        }
        return Abilities(frozenset(a for a, there in wanted.items() if there), frozenset({"running"}))

    def problems(self, name: str, profile: Described) -> Iterator[str]:
        for item in profile.items:
            binding = profile.binding(item, name)
            if not isinstance(binding, OnvifBinding):
                continue
            where = f"{item.path}: bind.{name}"
            if item.decided and not item.secret and not binding.reads:
                yield f"{where}: nothing reads it: get and where"
            if (item.drive or (item.decided and not item.reserved)) and not binding.writes:
                yield f"{where}: nothing sets it; say why it is reserved"
            if binding.topic and (binding.get is None or not binding.source):
                yield f"{where}: events tell it by a token; get and source say where that stands"
            if item.live and not binding.reads and not binding.topic:
                yield f"{where}: nothing tells its state: where, or topic"
            if binding.set is not None and "{now:" in str(binding.set.body) and binding.get is None:
                yield f"{where}: what is set has parts of what is told now, but nothing is read: get"
