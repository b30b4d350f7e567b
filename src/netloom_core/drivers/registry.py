"""Which driver speaks to a device, by the channel of its profile that lies on its line. A new protocol is a line in
OPENERS.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import lru_cache
from typing import Any, Protocol

from netloom_core.bus.owner import Owners
from netloom_core.bus.turns import Turns
from netloom_core.drivers.artnet.driver import ArtNetDriver
from netloom_core.drivers.carrier import Carrier, SerialCarrier, StreamCarrier
from netloom_core.drivers.dialogue.driver import DialogueDriver
from netloom_core.drivers.dialogue.form import DialogueChannel
from netloom_core.drivers.framed.driver import FramedDriver
from netloom_core.drivers.framed.form import FramedChannel
from netloom_core.drivers.http.driver import HttpDriver
from netloom_core.drivers.http.form import HttpChannel
from netloom_core.drivers.modbus.driver import ModbusDriver
from netloom_core.drivers.modbus.form import ModbusChannel
from netloom_core.drivers.modbus.transport import OnBus, OnTcp
from netloom_core.drivers.onvif.driver import OnvifDriver
from netloom_core.drivers.osdp.driver import OsdpDriver
from netloom_core.drivers.pjlink.driver import PjlinkDriver
from netloom_core.drivers.rdm.driver import RdmDriver
from netloom_core.drivers.snmp.driver import SnmpDriver
from netloom_core.drivers.snmp.form import SnmpChannel
from netloom_core.errors import CannotDo, RequestError
from netloom_core.links.http import HttpLink
from netloom_core.links.stream import open_tcp
from netloom_core.model.device import Credentials, Target
from netloom_core.model.line import UNIT_MARK, Line, host_of
from netloom_core.profiles.abilities import Abilities
from netloom_core.profiles.profile import Profile


class Profiles(Protocol):
    """Where profiles are had from."""

    number: int  # goes up with each change

    def get(self, ident: str) -> Profile | None: ...

    def need(self, ident: str) -> Profile: ...


Opener = Callable[[Target, Profile, str, Owners], Any]


def _http(target: Target, profile: Profile, name: str, owners: Owners) -> HttpDriver:
    way = profile.channels[name]
    assert isinstance(way, HttpChannel)
    link = HttpLink(target.line.source, target.address, way.port, tls=way.tls, pin=target.pins.get("tls", ""))
    return HttpDriver(target, profile, name, link)


def _osdp(target: Target, profile: Profile, name: str, owners: Owners) -> OsdpDriver:
    return OsdpDriver(target, profile, name, owners.serial(target.line))


def _dialogue(target: Target, profile: Profile, name: str, owners: Owners) -> DialogueDriver:
    way = profile.channels[name]
    assert isinstance(way, DialogueChannel)
    line, host = target.line, target.address

    def carrier(login: Credentials) -> Carrier:
        if way.over == "serial":
            return SerialCarrier(owners.serial(line), target.speed or line.speed, way.parity, way.answer_seconds)
        if way.over == "ssh":
            from netloom_core.links.ssh import open_ssh

            pin = target.pins.get("ssh", "")
            return StreamCarrier(
                lambda: open_ssh(line.source, host, way.tcp_port, login.user, login.password, pin, lambda _: None)
            )
        return StreamCarrier(
            lambda: open_tcp(line.source, host, way.tcp_port, telnet=way.over == "telnet"),
            owners.owed(line, host, way.tcp_port),
            way.answer_seconds,
        )

    return DialogueDriver(target, profile, name, carrier)


def _modbus(target: Target, profile: Profile, name: str, owners: Owners) -> ModbusDriver:
    way = profile.channels[name]
    assert isinstance(way, ModbusChannel)
    line, host = target.line, host_of(target.address)
    if line.kind == "serial":
        bus = OnBus(owners.serial(line), int(target.address), target.speed or line.speed, way.answer_seconds)
        return ModbusDriver(target, profile, name, bus)
    unit = int(target.address.rpartition(UNIT_MARK)[2]) if host != target.address else way.unit
    carrier = StreamCarrier(lambda: open_tcp(line.source, host, way.port))
    return ModbusDriver(target, profile, name, OnTcp(carrier, host, unit, way.answer_seconds))


def _snmp(target: Target, profile: Profile, name: str, owners: Owners) -> SnmpDriver:
    way = profile.channels[name]
    assert isinstance(way, SnmpChannel)
    return SnmpDriver(target, profile, name, owners.shared(target.line, way.traps) if way.traps else None)


def _pjlink(target: Target, profile: Profile, name: str, owners: Owners) -> PjlinkDriver:
    line, host, port = target.line, target.address, profile.channels[name].port
    return PjlinkDriver(target, profile, name, lambda: StreamCarrier(lambda: open_tcp(line.source, host, port)))


def _onvif(target: Target, profile: Profile, name: str, owners: Owners) -> OnvifDriver:
    link = HttpLink(target.line.source, target.address, profile.channels[name].port)
    return OnvifDriver(target, profile, name, link)


def _framed(target: Target, profile: Profile, name: str, owners: Owners) -> FramedDriver:
    way = profile.channels[name]
    assert isinstance(way, FramedChannel)
    line, host = target.line, target.address

    def carrier() -> Carrier:
        if way.over == "serial":
            return SerialCarrier(owners.serial(line), target.speed or line.speed, way.parity, way.answer_seconds)
        return StreamCarrier(
            lambda: open_tcp(line.source, host, way.port), owners.owed(line, host, way.port), way.answer_seconds
        )

    return FramedDriver(target, profile, name, carrier)


def _artnet(target: Target, profile: Profile, name: str, owners: Owners) -> ArtNetDriver:
    return ArtNetDriver(target, profile, name, owners.shared(target.line, profile.channels[name].port))


def _rdm(target: Target, profile: Profile, name: str, owners: Owners) -> RdmDriver:
    return RdmDriver(target, profile, name, owners.shared(target.line, profile.channels[name].port))


OPENERS: dict[str, Opener] = {
    "artnet": _artnet,
    "framed": _framed,
    "onvif": _onvif,
    "http": _http,
    "osdp": _osdp,
    "dialogue": _dialogue,
    "modbus": _modbus,
    "snmp": _snmp,
    "pjlink": _pjlink,
    "rdm": _rdm,
}


class Drivers:
    """Opens drivers for targets. Closing a driver does not close its line."""

    def __init__(self, library: Profiles, owners: Owners) -> None:
        self.library = library
        self.owners = owners
        self._abilities = lru_cache(maxsize=1024)(self._reckon)

    def abilities(self, profile: str, line: Line) -> Abilities:
        return self._abilities(profile, line.kind, line.protocol, self.library.number)

    def _reckon(self, profile: str, kind: str, protocol: str, number: int) -> Abilities:
        found = self.library.get(profile)
        name = found.channel_for(kind, protocol) if found else ""
        if found is None or not name:
            return Abilities()
        can_do = frozenset(procedure for procedure in found.procedures if found.calls(procedure, name))
        channel = found.channels[name]
        return replace(
            channel.abilities(name, found), procedures=can_do, own_port=channel.own_port, values=len(found.bound(name))
        )

    def shared(self, target: Target) -> Turns | None:
        if target.line.kind == "serial":
            return self.owners.serial(target.line).turns
        host = host_of(target.address)
        if host == target.address or self._protocol(target) != "modbus":
            return None  # a lighting node does not wait for who is silent
        return self.owners.gateway(target.line, host)

    def _protocol(self, target: Target) -> str:
        """Empty where nobody knows, as of one whose profile is no more: opening it says so."""
        profile = self.library.get(target.profile)
        name = profile.channel_for(target.line.kind, target.line.protocol) if profile is not None else ""
        return profile.channels[name].protocol if profile is not None and name else ""

    async def open(self, target: Target) -> Any:
        profile = self.library.need(target.profile)
        if not target.address:
            raise RequestError(
                f"{target.name} has not been found anywhere yet.", "Sweep its line first.", target=target.device
            )
        if target.line.kind == "serial":
            texts = [*(one.password for one in target.credentials), *target.secrets.values()]
            self.owners.serial(target.line).traffic.hide(texts)
        name = profile.channel_for(target.line.kind, target.line.protocol)
        if not name:
            raise CannotDo(
                f"{profile.model} is not reached over a line like {target.line.name}.",
                "Say which line it really is on.",
                target=target.device,
            )
        return OPENERS[profile.channels[name].protocol](target, profile, name, self.owners)
