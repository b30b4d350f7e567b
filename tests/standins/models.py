"""A described unit on a line of its own, and a session with it by its profile: for tests of drivers and models."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import AsyncIterator, Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from netloom_core.bus.owner import Owners
from netloom_core.bus.turns import Priority
from netloom_core.clock import SystemClock
from netloom_core.drivers.registry import Drivers
from netloom_core.library.load import Library
from netloom_core.live.session import Talk
from netloom_core.live.sessions import Sessions
from netloom_core.model.device import Credentials, Target
from netloom_core.model.line import DIRECT, Line
from netloom_core.profiles.item import Item
from netloom_core.profiles.profile import Profile
from netloom_core.types.choice import Choice
from netloom_core.types.curve import Curve
from netloom_core.types.decimal import DecimalNumber
from netloom_core.types.integer import Integer
from netloom_core.types.network import Ipv4, Mac, Netmask
from netloom_core.types.octets import Octets
from netloom_core.types.time import TimeOfDay
from netloom_standins.described.description import descriptions
from netloom_standins.described.unit import DescribedUnit
from netloom_standins.net_unit import NetUnit
from netloom_standins.osdp_line import OsdpUnit
from netloom_standins.pty_port import PtyPort
from netloom_standins.site import build_units
from tests.patience import SOON_S

KEY = "30313233343536373839414243444546"  # of a secure channel, like any other


@contextlib.contextmanager
def plugged_in(port: PtyPort) -> Iterator[PtyPort]:
    port.start()
    try:
        yield port
    finally:
        port.stop()


@dataclass
class Bench:
    """One unit, where it is, and sessions with it."""

    library: Library
    unit: DescribedUnit
    line: Line
    port: PtyPort | None
    sessions: Sessions
    owners: Owners
    node: NetUnit | None = None  # that leads the unit
    secrets: dict[str, str] = field(default_factory=dict)

    @property
    def profile(self) -> Profile:
        return self.library.need(self.unit.profile.id)

    @property
    def target(self) -> Target:
        factory = self.profile.factory
        login = (Credentials(factory.user, factory.password),) if factory.user or factory.password else ()
        levels = (level for level in self.profile.levels if level.password)
        login = (*login, *(Credentials(level.user, level.password, level.name) for level in levels))
        if isinstance(self.unit, OsdpUnit) and self.unit.must:
            login = (Credentials("", self.unit.key.hex()),)
        key = f"{self.profile.maker.casefold()}|{self.unit.serial.casefold()}"
        address = self.unit.address or (str(self.unit.bus_address) if self.unit.bus_address else DIRECT)
        return Target(
            "d1", self.unit.name, self.profile.id, self.line, address, self.unit.speed,
            maker=self.profile.maker, models=(self.profile.model, *self.profile.aliases), credentials=login,
            secrets=self.secrets, keys=() if self.unit.description.nameless else (key,),
        )  # fmt: skip

    async def talk(self) -> Talk:
        return await self.sessions.talk(self.target, "test", Priority.RUN)

    async def power_cut(self) -> None:
        await self.unit.power_cut()
        await self.is_up()

    async def is_up(self) -> None:
        async with asyncio.timeout(SOON_S):
            while not self.unit.up:
                await asyncio.sleep(0.05)


def on_serial(library: Library, model: str, serial: str, firmware: str, **values: Any) -> DescribedUnit:
    """A unit for a line that the test makes; `values` are by path. It is on."""
    unit = DescribedUnit(library.need(model), serial, firmware, {}, {}, description=descriptions()[model], up=True)
    unit.begin(values)
    return unit


def described_models() -> list[str]:
    return sorted(descriptions())


def line_for(profile: Profile, network: str) -> dict[str, Any]:
    """A line of the kind on which the profile's first way in with a driver lies."""
    name = next(name for name, channel in profile.channels.items() if channel.driven)
    kind, _, protocol = profile.channels[name].lines[0].partition(":")
    if kind == "ip":
        return {"name": "Net", "kind": "ip", "network": f"{network}.0/24", "source": f"{network}.1"}
    speed = profile.factory.speed or getattr(profile.channels[name], "speeds", [9600])[0]
    return {"name": "Bus", "kind": "serial", "port": "bus", "protocol": protocol, "speed": speed}


@contextlib.asynccontextmanager
async def bench(library: Library, model: str, folder: Path, network: str, **unit: Any) -> AsyncIterator[Bench]:
    profile = library.need(model)
    line = line_for(profile, network)
    on_net = line["kind"] == "ip"
    address = f"{network}.7" if on_net else (profile.factory.addresses or [DIRECT])[0]
    if not on_net and address == "0":
        address = "3"
    serial = "TS-1007"
    if line.get("protocol") == "osdp":  # a number there
        serial, unit = "00A41007", {"firmware": "1.4.0", **unit}
        if profile.channels["bus"].secure == "must":
            unit = {"key": KEY, "must": True, **unit}
    device = {
        "name": "Unit under test", "profile": model, "serial": serial, "line": line["name"], "address": address,
        "unit": {"firmware": "1.4", **unit},
    }  # fmt: skip
    devices = [device]
    if profile.speaks("rdm"):  # it hangs on a node
        node = {"name": "Node", "profile": "lumenfold-n4", "line": line["name"], "address": f"{network}.6"}
        devices.append({**node, "unit": {"firmware": "2.3", "answers": {"artnet": {"universes": [3]}}}})
        device["address"] = f"{network}.6#7ff2000010a7"
    units, ports = build_units({"lines": [line], "devices": devices}, library, folder)
    for other in units[1:]:
        await other.start()
    made = units[0]
    assert isinstance(made, DescribedUnit)
    for port in ports:
        port.start()
    await made.start()
    core = (
        Line("net", "Net", "ip", network=line["network"], source=line["source"], interface="lo")
        if on_net
        else Line("bus", "Bus", "serial", path=str(folder / "bus"), speed=line["speed"], protocol=line["protocol"])
    )
    owners = Owners()
    sessions = Sessions(Drivers(library, owners), library.maker, SystemClock())
    try:
        node = next((unit for unit in units[1:] if isinstance(unit, NetUnit)), None)
        yield Bench(library, made, core, ports[0] if ports else None, sessions, owners, node)
    finally:
        await sessions.close()
        owners.close()
        for one in units:
            await one.stop()
        for port in ports:
            port.stop()


def another(item: Item, now: Any) -> Any:
    """A value that may be given and is not the present one."""
    kind = item.type
    if isinstance(kind, Choice):
        return next(option.value for option in reversed(kind.options) if option.value != now)
    if isinstance(kind, Integer):
        return kind.check(kind.maximum if now != kind.maximum else kind.minimum)
    if isinstance(kind, DecimalNumber):
        value = kind.canonical(kind.minimum + (kind.maximum - kind.minimum) / 3)
        return value if value != now else kind.canonical(kind.maximum)
    if isinstance(kind, Ipv4):
        return "192.0.2.9" if now != "192.0.2.9" else "192.0.2.10"
    if isinstance(kind, Mac):
        return "0a:1b:2c:3d:4e:5f" if now != "0a:1b:2c:3d:4e:5f" else "0a:1b:2c:3d:4e:60"
    if isinstance(kind, TimeOfDay):
        return "17:45:00" if now != "17:45:00" else "05:00:30"
    if isinstance(kind, Netmask):
        return "255.255.254.0"
    if isinstance(kind, Curve):
        x, y = kind.x.number, kind.y.number
        span = kind.x.maximum - kind.x.minimum
        count = kind.points
        return [
            [x.canonical(kind.x.minimum + span * n / (count - 1)), y.canonical(kind.y.maximum)] for n in range(count)
        ]
    if isinstance(kind, Octets):
        return "a5" * kind.max_length
    if kind.name == "boolean":
        return not now
    return "Trial7"[: getattr(kind, "max_length", 6)] if not str(now).startswith("Trial") else "Seen"
