"""Each method of an IP line: a sound answer, late, doubled, split and hostile ones, and none."""

from __future__ import annotations

import asyncio
import time
from collections.abc import AsyncIterator
from dataclasses import replace

import pytest
import pytest_asyncio
from zeroconf import IPVersion, ServiceInfo
from zeroconf.asyncio import AsyncZeroconf

from netloom_core.errors import Crowded
from netloom_core.library.load import Library
from netloom_core.model.access import Access, Login
from netloom_core.model.device import Credentials
from netloom_core.protocols import artnet, pjlink, sacn, snmp, ssdp, wsdiscovery
from netloom_core.sweep.methods import sacn as sacn_method
from netloom_core.sweep.methods import wsdiscovery as wsd_method
from netloom_core.sweep.methods.artnet import ArtNetPoll
from netloom_core.sweep.methods.banners import SshBanner, TelnetBanner, TlsNames
from netloom_core.sweep.methods.connect import ConnectScan
from netloom_core.sweep.methods.echo import Echo
from netloom_core.sweep.methods.http import HttpIdentify
from netloom_core.sweep.methods.mdns import MdnsBrowse
from netloom_core.sweep.methods.modbus_tcp import ModbusTcp
from netloom_core.sweep.methods.neighbour import NeighbourTable, registered_maker
from netloom_core.sweep.methods.pjlink import Pjlink
from netloom_core.sweep.methods.registry import METHODS
from netloom_core.sweep.methods.rfc2217 import Rfc2217Servers
from netloom_core.sweep.methods.sacn import SacnListen
from netloom_core.sweep.methods.snmp import Snmp
from netloom_core.sweep.methods.ssdp import SsdpSearch
from netloom_core.sweep.methods.wsdiscovery import WsDiscovery, device_information
from netloom_standins.ears import Ears, send_from
from tests.core import replies
from tests.patience import SOON_S
from tests.standins.field import Field, field, found, speaker

BASE = "127.34.1"


@pytest_asyncio.fixture
async def here(library: Library) -> AsyncIterator[Field]:
    async with field(library, BASE) as made:
        yield made


class Answering:
    """Answers whoever asks on a group or broadcast port with these datagrams, from one address."""

    def __init__(self, address: str, port: int, group: str, answers: list[bytes], own_port: int = 0) -> None:
        self._address, self._port, self._group, self._own = address, port, group, own_port
        self.answers = answers
        self.asked: list[bytes] = []

    async def __aenter__(self) -> Answering:
        await Ears.on(self._port, self._group, self._heard)
        return self

    async def __aexit__(self, *details: object) -> None:
        Ears.off(self._port, self._group, self._heard)

    def _heard(self, data: bytes, address: str, port: int) -> None:
        self.asked.append(data)
        for answer in self.answers:
            send_from(self._address, answer, address, port, own_port=self._own)


def hostile(good: bytes) -> list[bytes]:
    return [b"", b"\x00" * 1400, good[: len(good) // 2], b"\xff" * 60_000, good[:-1] + b"\x00" * 500]


# Searches by multicast and broadcast


async def test_ssdp_with_its_description(here: Field) -> None:
    page = {"port": 8080, "title": "Guest screen", "maker": "Farrow", "model": "G40", "serial": "FS-1"}
    await here.put(5, "belisar-d55", ssdp={"port": 8080}, page=page)
    facts = (await here.facts(SsdpSearch()))["5"]
    assert (facts["maker"], facts["model"], facts["serial"]) == ("Farrow", "G40", "FS-1")
    assert facts["uuid"]


async def test_ssdp_doubled_hostile_and_somebody_elses_description(here: Field) -> None:
    lured = replies.SSDP.replace(b"127.20.20.90:8080", b"127.34.1.9:80")
    group = (ssdp.PORT, ssdp.GROUP)
    async with Answering(f"{BASE}.6", *group, [*hostile(replies.SSDP), lured, lured]):
        result = await here.sweep(SsdpSearch())
    [finding] = result.findings
    assert finding.facts == {"uuid": replies.UUID}, "another device's description is not fetched"
    assert len([s for s in result.sightings if "uuid" in s.facts]) == 1, "a doubled answer is one"


async def test_ws_discovery_shy_late_and_doubled(here: Field) -> None:
    """Answers only a typed probe, twice, without an address, so that a Resolve is needed; then ONVIF with a user."""
    await here.put(5, "oystercatch-c2", "OC-1", **{"ws-discovery": {"shy": True, "typed_only": True, "twice": True},
                                                   "page": {"onvif": True}})  # fmt: skip
    result = await here.sweep(WsDiscovery())
    [finding] = result.findings
    assert (finding.identity.serial, finding.profile) == ("OC-1", "oystercatch-c2")
    assert finding.facts["uuid"] == here.units[0].uuid


async def test_ws_discovery_with_another_password(here: Field) -> None:
    unit = await here.put(5, "oystercatch-c2", "OC-1", **{"ws-discovery": {}, "page": {"onvif": True}})
    factory = unit.profile.factory.model_copy(update={"password": "changed"})
    unit.profile = unit.profile.model_copy(update={"factory": factory})
    facts = (await here.facts(WsDiscovery()))["5"]
    assert facts["refused"] == "ONVIF wants a user and a password"
    key = f"uuid:{unit.uuid.replace('-', '')}"
    logins = Access(logins={f"{BASE}.5": Login(Credentials("operator", "changed"), frozenset({key}))})
    stranger = Access(logins={f"{BASE}.5": Login(Credentials("operator", "changed"), frozenset({"uuid:another"}))})
    assert "serial" not in (await here.facts(WsDiscovery(), access={"net": stranger}))["5"], "it is said to nobody else"
    assert (await here.facts(WsDiscovery(), access={"net": logins}))["5"]["serial"] == "OC-1"


@pytest.mark.parametrize(("hardware", "told"), [("Z9", False), ("C2", True)])
async def test_a_factory_login_is_told_to_no_strangers_camera(here: Field, hardware: str, told: bool) -> None:
    """It would be tried against another maker's device, and give away what opens ours."""
    heard: list[bytes] = []

    async def camera(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        heard.append(await reader.read(20_000))
        writer.write(b"HTTP/1.1 401 Unauthorized\r\ncontent-length: 0\r\nconnection: close\r\n\r\n")
        writer.close()

    server = await asyncio.start_server(camera, f"{BASE}.6", 8480)
    facts = {"types": "NetworkVideoTransmitter", "hardware": hardware}
    async with server:
        answer = await device_information(here.look(), f"{BASE}.6", f"http://{BASE}.6:8480/onvif", None, facts)
    assert answer == {"onvif_port": "8480", "refused": "ONVIF wants a user and a password"}
    assert any(b"operator" in one for one in heard) == told
    asked = [one for one in heard if b"GetDeviceInformation" in one]
    assert len(asked) == 1 + told, "each is tried once"


async def test_an_answer_that_cannot_be_followed_costs_the_others_nothing(here: Field) -> None:
    seen: list[str] = []

    async def follow(name: str) -> None:
        if name == "bad":
            raise KeyError(name)
        if name == "full":
            raise Crowded("This computer takes no more UDP just now.")
        seen.append(name)

    look = here.look()
    notes: list[str] = []
    look.note = notes.append
    await look.all_of([follow("a"), follow("bad"), follow("full"), follow("b")])
    assert seen == ["a", "b"]
    mistake, trouble = notes
    assert "mistake" in mistake
    assert trouble == "Not everybody could be asked: This computer takes no more UDP just now."


async def test_ws_discovery_hostile(here: Field, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(wsd_method, "LISTEN_S", 0.6)
    bomb = b'<!DOCTYPE a [<!ENTITY b "bb">]><a>&b;</a>'
    async with Answering(f"{BASE}.6", wsdiscovery.PORT, wsdiscovery.GROUP, [bomb, *hostile(replies.MATCHES)]) as other:
        assert await here.facts(WsDiscovery()) == {}
    assert len(other.asked) == len(wsdiscovery.TYPES), "one probe for each type, and no more"


async def test_artnet_to_the_asker_and_by_broadcast(here: Field) -> None:
    await here.put(5, "lumenfold-n4", artnet={"universes": [17], "uid": "7ff0:00004001", "bind": 2})
    await here.put(6, "lumenfold-n4", "S-2", artnet={"universes": [1], "broadcast": True})
    facts = await here.facts(ArtNetPoll())
    assert facts["5"]["rdm_uid"] == "7FF0:00004001"
    assert facts["6"]["universes"] == "1"
    assert {f["mac"] for f in facts.values()} == {unit.mac for unit in here.units}


async def test_artnet_hostile(here: Field) -> None:
    node = artnet.build_reply(replies.NODE)
    async with Answering(f"{BASE}.6", artnet.PORT, "127.255.255.255", [*hostile(node), node, node], artnet.PORT):
        facts = await here.facts(ArtNetPoll())
    assert facts["6"]["title"] == "mast-1"


async def test_sacn_is_only_listened_to(here: Field, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(sacn_method, "LISTEN_S", 3.0)
    await here.put(5, "lumenfold-n4", sacn={"universes": [101, 102], "name": "Mast"})
    result = await here.sweep(SacnListen())
    assert found(result)["5"].facts["sends_universes"] == "101 102"
    assert result.reports[0].sent == 0


async def test_sacn_hostile(here: Field, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(sacn_method, "LISTEN_S", 0.8)

    async def later() -> None:
        await asyncio.sleep(0.2)
        good = sacn.build_discovery(replies.SOURCE)
        for data in [*hostile(good), good, good]:
            send_from(f"{BASE}.6", data, sacn.group(sacn.DISCOVERY_UNIVERSE), sacn.PORT)

    result, _ = await asyncio.gather(here.sweep(SacnListen()), later())
    sound = [s for s in result.sightings if s.facts["sends_universes"] == "101 102 7000"]
    assert len(sound) == 1, "a doubled packet is one"
    assert found(result)["6"].facts["title"] == "Mast node 1"


async def test_pjlink_searched_and_asked(here: Field) -> None:
    await here.put(5, "belisar-d55", "BD-1", pjlink={}, **{"pjlink-search": {}})
    await here.put(6, "belisar-d55", "BD-2", pjlink={"password": "belisar", "class": 1})
    facts = await here.facts(ConnectScan(), Pjlink())
    assert (facts["5"]["maker"], facts["5"]["serial"], facts["5"]["mac"]) == ("Belisar", "BD-1", here.units[0].mac)
    assert facts["5"]["power"] == "on"
    assert facts["6"]["refused"] == "PJLink wants its password"
    logins = Access(logins={f"{BASE}.6": Login(Credentials("", "belisar"))})
    asked = (await here.facts(ConnectScan(), Pjlink(), access={"net": logins}))["6"]
    assert asked["model"] == "D55"
    assert "serial" not in asked, "class 1 does not tell it"


# SNMP


async def test_snmp_with_a_switch_that_knows_who_is_behind_which_port(here: Field) -> None:
    table = {"0a:0c:c2:00:00:01": 3}
    ports = dict.fromkeys(range(1, 30), "up")
    await here.put(2, "marrowby-sw24", "MS-1", snmp={"ports": ports, "table": table})
    result = await here.sweep(Snmp())
    switch = found(result)["2"]
    assert (switch.identity.maker, switch.identity.serial, switch.profile) == ("Marrowby", "MS-1", "marrowby-sw24")
    [port] = [s for s in result.sightings if s.method == "forwarding"]
    told = {"switch": f"{BASE}.2", "switch_port": "3", "switch_interface": "3", "port_macs": "1"}
    assert port.facts == {"mac": "0a:0c:c2:00:00:01", **told}


async def test_snmp_with_hostile_and_foreign_answers(here: Field) -> None:
    class Liar(asyncio.DatagramProtocol):
        def connection_made(self, transport: asyncio.BaseTransport) -> None:
            self.transport = transport

        def datagram_received(self, data: bytes, addr: tuple[str, int]) -> None:
            for answer in [*hostile(replies.SYSTEM)[1:], replies.SYSTEM, data]:
                if len(answer) < 2000:
                    self.transport.sendto(answer, addr)  # type: ignore[attr-defined]

    loop = asyncio.get_running_loop()
    transport, _ = await loop.create_datagram_endpoint(Liar, local_addr=(f"{BASE}.6", snmp.PORT))
    try:
        result = await here.sweep(Snmp())
    finally:
        transport.close()
    assert result.findings == [], "a response to another request is not ours"


# On connections of the connect scan


async def test_banners_and_certificates(here: Field, tmp_path) -> None:  # type: ignore[no-untyped-def]
    await here.put(5, "marrowby-sw24", ssh={"software": "Marrowby_4"}, telnet={"banner": "Hello", "user": "x"})
    facts = await here.facts(ConnectScan(), SshBanner(), TelnetBanner())
    assert facts["5"]["ssh"] == "Marrowby_4"
    assert "login:" in facts["5"]["banner"]
    assert facts["5"]["ports"] == "22 23"


@pytest.mark.parametrize(
    "pieces",
    [[b""], [b"SS", b"H-2.", b"0-x\r\n"], [b"\xff" * 5000], [b"\xff\xfa" + b"x" * 3000], [b"HTTP/1.0 400\r\n\r\n"]],
)
async def test_split_and_hostile_banners_stay_evidence_of_a_port(here: Field, pieces: list[bytes]) -> None:
    async with speaker(f"{BASE}.6", 22, pieces), speaker(f"{BASE}.6", 23, pieces), speaker(f"{BASE}.6", 443, pieces):
        facts = await here.facts(ConnectScan(), SshBanner(), TelnetBanner(), TlsNames())
    assert facts["6"]["ports"] == "22 23 443"


FOR_EVER = [(22, b"hello\r\n"), (23, b"\xff\xf1"), (2217, b"\xff\xf1"), (2217, b"12:00 all well\r\n"), (502, b"\x00")]


@pytest.mark.parametrize(("port", "piece"), FOR_EVER)
async def test_who_talks_for_ever_is_not_listened_to_for_ever(here: Field, port: int, piece: bytes) -> None:
    """A word every tenth of a second puts off no end."""
    methods = ConnectScan(), SshBanner(), TelnetBanner(), Rfc2217Servers(), ModbusTcp()
    async with speaker(f"{BASE}.6", port, [piece] * 4000, pause=0.1):
        begun = time.monotonic()
        facts = await here.facts(*methods)
    assert str(port) in facts["6"]["ports"].split()
    assert time.monotonic() - begun < 2 * SOON_S


async def test_an_ssh_server_may_greet_before_it_says_what_it_is(here: Field) -> None:
    """RFC 4253, clause 4.2; in whatever pieces."""
    pieces = [b"Skerry Point\r\nMind the", b" gap\r\nSSH-2.", b"0-Marrowby_4\r\n"]
    async with speaker(f"{BASE}.6", 22, pieces, pause=0.2):
        facts = await here.facts(ConnectScan(), SshBanner())
    assert facts["6"]["ssh"] == "Marrowby_4"


async def test_modbus_tcp(here: Field) -> None:
    await here.put(5, "grayle-m4", "GM-1", modbus={})
    facts = (await here.facts(ConnectScan(), ModbusTcp()))["5"]
    assert (facts["maker"], facts["model"], facts["serial"]) == ("Grayle", "M4", "GM-1")


@pytest.mark.parametrize("pieces", [[b"\x00"], [b"\x00\x01\x00\x00\x00\x06\xff\xab\x01"], [b"\xff" * 600]])
async def test_modbus_tcp_hostile(here: Field, pieces: list[bytes]) -> None:
    async with speaker(f"{BASE}.6", 502, pieces):
        facts = await here.facts(ConnectScan(), ModbusTcp())
    assert "maker" not in facts["6"]


async def test_a_web_page_tells_its_title(here: Field) -> None:
    await here.put(5, "belisar-d55", page={"title": "Caf\u00e9 <screen>"})
    assert "Caf" in (await here.facts(ConnectScan(), HttpIdentify()))["5"]["title"]


# What loopback cannot show, and says so


async def test_methods_that_prove_nothing_on_loopback_are_left_out_and_say_so(here: Field) -> None:
    result = await here.sweep(Echo(), NeighbourTable())
    assert result.findings == []
    assert all("Left out" in report.notes[0] for report in result.reports)


async def test_a_service_of_this_computer_on_all_addresses_is_no_device(here: Field) -> None:
    server = await asyncio.start_server(lambda r, w: w.close(), "0.0.0.0", 8443)
    async with server:
        result = await here.sweep(ConnectScan(), TlsNames())
    assert result.findings == []
    assert any("Port 8443 was left out" in note for note in result.reports[0].notes)


# Rules of all


async def test_nobody_there_is_nobody_found(here: Field, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(sacn_method, "LISTEN_S", 0.5)
    result = await here.sweep(*(method for method in METHODS if "ip" in method.kinds))
    assert result.findings == []
    assert {report.state for report in result.reports} == {"done"}


async def test_a_switched_off_method_does_not_run(here: Field) -> None:
    await here.put(5, "marrowby-sw24", ssh={})
    here.line = replace(here.line, off=("ssh",))
    result = await here.sweep(ConnectScan(), SshBanner())
    assert [report.method for report in result.reports] == ["connect"]


async def test_a_sweep_sends_no_more_than_its_rate(here: Field) -> None:
    loop = asyncio.get_running_loop()
    begun = loop.time()
    result = await here.sweep(ConnectScan(), HttpIdentify(), rate=200)
    took = loop.time() - begun
    sent = sum(report.sent for report in result.reports)
    assert sent > 100
    assert sent <= 200 * took + 200 * 0.05 + 1


async def test_the_maker_that_registered_a_prefix() -> None:
    assert registered_maker("00:00:0c:00:00:01"), "the registry's first large block"
    assert registered_maker("0a:4e:4c:00:00:01") == "", "locally administered ones are registered by nobody"
    assert registered_maker("nonsense") == ""
    assert pjlink.SEARCH == b"%2SRCH\r"


# Split, late and hostile answers of those that talk on a connection


@pytest.mark.parametrize(
    ("pieces", "facts"),
    [
        ([b"PJLINK", b" 0", b"\r"], {}),
        ([b"PJLINK 0\r", b"%1INF1=Belisar\r", b"%1INF2=D55\r", b"%1NAME=hall\r", b"%1POWR=1\r"], {"maker": "Belisar"}),
        ([b"PJLINK 0\r", b"\xff" * 300], {}),
        ([b"PJLINK 1 zz\r", b"PJLINK ERRA\r"], {"refused": "PJLink wants its password"}),
        ([b"", b"220 mail\r\n"], {}),
    ],
)
async def test_pjlink_split_and_hostile(here: Field, pieces: list[bytes], facts: dict[str, str]) -> None:
    async with speaker(f"{BASE}.6", pjlink.PORT, pieces, pause=0.1):
        found_facts = (await here.facts(ConnectScan(), Pjlink()))["6"]
    assert {name: found_facts.get(name) for name in facts} == facts
    assert found_facts["ports"] == str(pjlink.PORT)


@pytest.mark.parametrize(
    ("pieces", "server"),
    [
        ([b"\xff", b"\xfd", b"\x2c"], True),  # DO COM-PORT, split
        ([b"\xff\xfd\x2c\xff\xfd\x2c"], True),  # said twice
        ([b"\xff\xfe\x2c"], False),
        ([b"\xff\xfa\x2c" + b"x" * 3000], False),
        ([b"welcome\r\n"], False),
    ],
)
async def test_device_servers_split_doubled_and_hostile(here: Field, pieces: list[bytes], server: bool) -> None:
    async with speaker(f"{BASE}.6", 4001, pieces, pause=0.1):
        facts = (await here.facts(ConnectScan(), Rfc2217Servers()))["6"]
    assert ("device_server" in facts) is server


class Announced:
    """One mDNS service with these texts, on the responder of this test."""

    def __init__(self, address: str, properties: dict[bytes, bytes]) -> None:
        self._zeroconf = AsyncZeroconf(interfaces=["127.0.0.1"], ip_version=IPVersion.V4Only)
        name = f"Odd {address.replace('.', '-')}._http._tcp.local."
        self._info = ServiceInfo("_http._tcp.local.", name, parsed_addresses=[address], port=80,
                                 properties=properties, server=f"odd-{address.replace('.', '-')}.local.")  # fmt: skip

    async def __aenter__(self) -> None:
        await (await self._zeroconf.async_register_service(self._info))

    async def __aexit__(self, *details: object) -> None:
        await self._zeroconf.async_unregister_all_services()
        await self._zeroconf.async_close()


async def test_mdns_takes_only_facts_that_it_knows_and_only_sound_ones(here: Field) -> None:
    texts = {b"maker": b"Farrow", b"serial": b"\x1b[31m\x00", b"model": b"G" * 200, b"password": b"hunter2"}
    async with Announced(f"{BASE}.7", texts):
        [finding] = (await here.sweep(MdnsBrowse())).findings
    assert finding.facts["maker"] == "Farrow"
    assert len(finding.facts["model"]) == 120
    assert not {"serial", "password"} & finding.facts.keys()
