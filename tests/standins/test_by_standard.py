"""Devices of which nobody here knows the model: what each standard alone finds, reads, writes, drives and addresses.

The stand-ins are those of models; the library knows the standards only.
"""

from __future__ import annotations

import asyncio
from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from netloom_core.bus.turns import Priority
from netloom_core.clock import SystemClock
from netloom_core.documents.tree import get
from netloom_core.drivers.registry import Drivers
from netloom_core.errors import WrongCredentials
from netloom_core.identity.proof import Verdict, judge
from netloom_core.library.load import Library
from netloom_core.live.session import Talk
from netloom_core.live.sessions import Sessions
from netloom_core.model.access import Access
from netloom_core.model.change import Change
from netloom_core.model.device import Credentials, Identity, Target
from netloom_core.model.line import Line
from netloom_core.protocols import artnet
from netloom_core.sweep.finding import Finding
from netloom_core.sweep.methods.artnet import ArtNetPoll
from netloom_core.sweep.methods.connect import ConnectScan
from netloom_core.sweep.methods.pjlink import Pjlink
from netloom_core.sweep.methods.wsdiscovery import WsDiscovery
from netloom_core.sweep.sweep import sweep
from netloom_standins.described.camera import Camera
from tests.patience import SOON_S
from tests.standins.models import Bench, another, bench

NETWORK = "127.29.73"
OPERATOR = Credentials("operator", "oyster")


class Strange:
    """A unit of a model that the library lost."""

    def __init__(self, here: Bench) -> None:
        self.here = here
        self.library = Library([], here.library.parts, here.library.standards)
        self.sessions = Sessions(Drivers(self.library, here.owners), self.library.maker, SystemClock())

    async def found(self, method: Any, host: str = "7", **access: Any) -> Finding:
        result = await sweep(
            [self.here.line], [], self.library, self.here.owners, SystemClock(), methods=[ConnectScan(), method],
            access={"net": Access(**access)},
        )  # fmt: skip
        return next(one for one in result.findings if one.address.removeprefix(f"{NETWORK}.") == host)

    async def talk(self, finding: Finding, *credentials: Credentials) -> Talk:
        target = Target(
            "d2", "Stranger", finding.profile, self.here.line, finding.address, maker=finding.identity.maker,
            models=(finding.identity.model,), credentials=credentials, keys=finding.keys, found=True,
        )  # fmt: skip
        return await self.sessions.talk(target, "test", Priority.RUN)


async def test_a_display_by_pjlink(library: Library, tmp_path: Path) -> None:
    async with bench(library, "belisar-d55", tmp_path, NETWORK) as here:
        strange = Strange(here)
        finding = await strange.found(Pjlink())
        assert (finding.profile, finding.status) == ("standard-pjlink", "unknown")
        talk = await strange.talk(finding)
        states = await talk.states()
        to = "off" if states["power"] == "on" else "on"
        await talk.drive("power", to)
        assert get(here.unit.memory.running, "/power") in (to, {"on": "warming", "off": "cooling"}[to])
        await strange.sessions.close()


async def test_a_camera_by_onvif(library: Library, tmp_path: Path) -> None:
    async with bench(library, "oystercatch-c2", tmp_path, NETWORK, answers={"ws-discovery": {}}) as here:
        strange = Strange(here)
        shy = await strange.found(WsDiscovery())
        assert (shy.profile, shy.facts["refused"]) == ("standard-onvif", "ONVIF wants a user and a password")
        finding = await strange.found(WsDiscovery(), onvif=(OPERATOR,))
        assert finding.profile == "standard-onvif-2-relays"
        assert finding.identity.serial == "TS-1007"
        with pytest.raises(WrongCredentials):
            await (await strange.talk(finding)).read("running")
        talk = await strange.talk(finding, OPERATOR)
        await written(here, talk, "/name", "/relays/1/mode", "/network/gateway")
        await talk.drive("relay-2", "on")
        assert get(here.unit.memory.running, "/relays/2/state") == "on"
        await talk.write([Change("/network/address", f"{NETWORK}.7", f"{NETWORK}.8")])
        async with asyncio.timeout(SOON_S):
            while not (here.unit.up and here.unit.address == f"{NETWORK}.8"):
                await asyncio.sleep(0.05)
        assert (await strange.found(WsDiscovery(), "8", onvif=(OPERATOR,))).identity.serial == "TS-1007"
        await strange.sessions.close()


async def test_a_camera_that_wants_a_restart_gets_it_after_all_that_it_was_told(
    library: Library, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with bench(library, "oystercatch-c2", tmp_path, NETWORK) as here:
        talk = await here.talk()
        told: list[str] = []
        real = Camera._answer

        def heard(self: Camera, path: str, body: bytes) -> tuple[int, bytes]:
            for name in ("SetHostname", "SetNetworkInterfaces", "SystemReboot"):
                if f"<{name} ".encode() in body:
                    told.append(name)
            return real(self, path, body)

        monkeypatch.setattr(Camera, "_answer", heard)
        monkeypatch.setattr(
            Camera, "_SetNetworkInterfaces", lambda self, operation: "<tds:RebootNeeded>true</tds:RebootNeeded>"
        )
        moved = Change("/network/address", f"{NETWORK}.7", f"{NETWORK}.9")
        await talk.write([moved, Change("/name", get(here.unit.memory.running, "/name"), "pier")])
        assert told == ["SetNetworkInterfaces", "SetHostname", "SystemReboot"]


async def test_a_lighting_node_by_artnet(library: Library, tmp_path: Path) -> None:
    async with bench(library, "lumenfold-n4", tmp_path, NETWORK) as here:
        strange = Strange(here)
        finding = await strange.found(ArtNetPoll())
        assert finding.profile == "standard-artnet-4-ports"
        talk = await strange.talk(finding)
        await written(here, talk, "/names/short", "/ports/3/universe", "/ports/2/merge")
        await strange.sessions.close()


async def test_a_port_of_a_node_takes_dmx_in(library: Library, tmp_path: Path) -> None:
    """An input has a universe of its own, what it is sent as, and none of it is taken for an output's."""
    async with bench(library, "lumenfold-n4", tmp_path, NETWORK) as here:
        talk = await here.talk()
        await written(here, talk, "/failure", "/ports/2/direction", "/ports/2/universe", "/ports/2/source")
        told = await talk.read("running")
        assert (get(told, "/ports/2/direction"), get(told, "/ports/1/direction")) == ("in", "out")
        assert (await talk.states())["rate"] == "44"
        # By the offsets of Art-Net 4: its universe is told as SwIn, and it is no receiver of it.
        packet = await one_reply(here)
        assert (packet[174 + 1], packet[186 + 1], packet[190 + 1]) == (0x40, get(told, "/ports/2/universe"), 0)
        assert artnet.parse_reply(packet).failure == get(told, "/failure")
        assert get(here.unit.memory.running, "/failure") == get(told, "/failure")


async def one_reply(here: Bench) -> bytes:
    port = here.owners.shared(here.line, artnet.PORT)
    async with port.listening(f"{NETWORK}.7") as inbox:
        await port.send(artnet.poll(), f"{NETWORK}.7")
        until = asyncio.get_running_loop().time() + SOON_S
        while came := await inbox.next(until):
            if artnet.opcode(came[0]) == artnet.OP_POLL_REPLY:
                return came[0]
    raise AssertionError("no reply came")


async def test_a_lighting_unit_by_rdm(library: Library, tmp_path: Path) -> None:
    async with bench(library, "skellan-f6", tmp_path, NETWORK) as here:
        strange = Strange(here)
        finding = await strange.found(ArtNetPoll(), "6#7ff2000010a7")
        assert finding.profile == "standard-rdm"
        talk = await strange.talk(finding)
        await written(here, talk, "/dmx/start", "/label")
        await talk.drive("identify", "on")
        assert (await talk.states())["identify"] == "on"
        await strange.sessions.close()


async def written(here: Bench, talk: Talk, *paths: str) -> None:
    """Each of these is read as the unit has it, written, and then it has it."""
    profile = here.library.need(here.unit.profile.id)
    before = await talk.read("running")
    for path in paths:
        assert get(before, path) == get(here.unit.memory.running, path), path
        to = another(profile.by_path[path], get(before, path))
        await talk.write([Change(path, get(before, path), to)])
        assert get(await talk.read("running"), path) == get(here.unit.memory.running, path) == to, path


IDS = [
    "standard-osdp-800-inputs-2-outputs", "standard-osdp-99-inputs-2-outputs", "standard-osdp-2-outputs-8-inputs",
    "standard-osdp", "standard-osdp-08-inputs-2-outputs", "standard-onvif-0-relays", "standard-onvif-at-0",
    "standard-onvif-at-80000", "standard-onvif-at-8080-2-relays", "standard-pjlink-at-4352", "standard-x", "standard-",
    "",
]  # fmt: skip


@pytest.mark.parametrize("ident", IDS)
def test_what_no_device_makes_is_no_id(library: Library, ident: str) -> None:
    assert library.standards.by_id(ident) is None


FACTS: list[tuple[Mapping[str, str], str, str]] = [
    ({"vendor": "X", "osdp_inputs": "8", "osdp_outputs": "2"}, "osdp", "standard-osdp-8-inputs-2-outputs"),
    ({"vendor": "X", "osdp_inputs": "0", "osdp_outputs": "900"}, "osdp", "standard-osdp-0-inputs-64-outputs"),
    ({"vendor": "X", "osdp_inputs": "many", "osdp_outputs": "2"}, "osdp", ""),
    ({"osdp_inputs": "²", "osdp_outputs": "2", "vendor": "X"}, "osdp", ""),
    ({"onvif_port": "8000", "relays": "3"}, "onvif", "standard-onvif-3-relays-at-8000"),
    ({"onvif_port": "99999"}, "onvif", ""),
    ({"host": "rack"}, "snmp", ""),
    ({"object": "1.3.6.1"}, "snmp", "standard-snmp"),
    ({"object": "1.3.6.1"}, "mdns", ""),
]


@pytest.mark.parametrize(("facts", "method", "wanted"), FACTS)
def test_what_facts_make(library: Library, facts: Mapping[str, str], method: str, wanted: str) -> None:
    made = library.standards.of(facts, [method])
    assert (made.id if made else "") == wanted
    if made:
        assert library.get(made.id) is made
        fresh = Library([], library.parts, type(library.standards)(iter(library.standards))).need(made.id)
        assert (fresh.axes, fresh.items, fresh.channels) == (made.axes, made.items, made.channels)


def test_who_tells_no_model_and_no_number_is_proven_by_nothing(library: Library) -> None:
    line = Line("net", "Net", "ip", network=f"{NETWORK}.0/24", source=f"{NETWORK}.1")
    record = Target("d1", "Box", "standard-snmp", line, f"{NETWORK}.9", models=("",), found=True)
    assert judge(record, Identity(), library.maker) is Verdict.UNTOLD
    assert judge(replace(record, models=("M1",)), Identity(model="M1"), library.maker) is Verdict.SAME
