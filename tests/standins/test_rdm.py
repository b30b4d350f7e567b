"""Units behind lighting nodes: found by their node's table, read and set by RDM, and nodes and units that misbehave."""

from __future__ import annotations

import asyncio
import socket
from collections.abc import AsyncIterator, Callable
from contextlib import asynccontextmanager
from dataclasses import replace
from pathlib import Path
from typing import TypeVar

import pytest

from netloom_core.absence.case import Case
from netloom_core.absence.explain import explain
from netloom_core.bus.owner import Owners
from netloom_core.clock import SystemClock
from netloom_core.drivers.rdm.talk import MOST_DATA, Node
from netloom_core.drivers.registry import Drivers
from netloom_core.errors import Absent, Busy, NetloomError, NoAnswer, NobodyThere, ProtocolError, Refused
from netloom_core.library.load import Library
from netloom_core.links.shared_udp import SharedPort
from netloom_core.model.change import Change
from netloom_core.model.device import Target
from netloom_core.model.line import Line, address_key, host_of
from netloom_core.protocols import artnet, artnet_rdm, rdm
from netloom_core.sweep.finding import Known
from netloom_core.sweep.methods.artnet import ArtNetPoll
from netloom_core.sweep.sweep import SweepResult, sweep
from tests.patience import SOON_S
from tests.standins.models import bench

NETWORK = "127.29.70"
LINE = Line("net", "Net", "ip", network=f"{NETWORK}.0/24", source=f"{NETWORK}.1", interface="lo")
HOST = f"{NETWORK}.6"
FALSE_NODE = f"{NETWORK}.16"
UNIT = bytes.fromhex("7ff2000010a7")
KNOWN = Known("d1", "", "tamsel-k1", "net", f"{HOST}#7ff2000010a7", keys=("rdm:7ff2:000010a7",))


def test_the_address_of_a_unit_behind_a_node() -> None:
    assert host_of(f"{HOST}#7ff2000010a7") == HOST
    assert host_of(f"{HOST}#7FF2") == f"{HOST}#7FF2", "no UID"
    assert LINE.holds(f"{HOST}#7ff2000010a7")
    places = [f"{NETWORK}.7", f"{HOST}#7ff2000010a8", f"{HOST}#7", HOST, f"{HOST}#7ff2000010a7"]
    assert sorted(places, key=address_key) == [
        HOST, f"{HOST}#7", f"{HOST}#7ff2000010a7", f"{HOST}#7ff2000010a8", f"{NETWORK}.7",
    ]  # fmt: skip


async def test_a_unit_is_found_by_its_nodes_table(library: Library, tmp_path: Path) -> None:
    async with bench(library, "skellan-f6", tmp_path, NETWORK) as here:
        result = await sweep([here.line], [], library, here.owners, SystemClock(), methods=[ArtNetPoll()])
    found = {finding.address: finding for finding in result.findings}
    unit = found[f"{HOST}#7ff2000010a7"]
    assert (unit.profile, unit.identity.model, unit.identity.firmware) == ("skellan-f6", "F6", "1.4")
    assert unit.facts["rdm_uid"] == "7FF2:000010A7"
    assert unit.facts["behind"] == HOST
    assert found[HOST].profile == "lumenfold-n4"


async def test_one_that_was_unplugged_is_not_there_though_the_table_has_it(library: Library, tmp_path: Path) -> None:
    async with bench(library, "tamsel-k1", tmp_path, NETWORK) as here:
        talk = await here.talk()
        await talk.read("running")
        here.unit.faults.silent = True
        with pytest.raises(NoAnswer):
            await talk.read("running")
        result = await sweep([here.line], [], library, here.owners, SystemClock(), methods=[ArtNetPoll()])
        absent = await explain(Case(KNOWN, "Wall dimmer", here.line, result.findings, [], library, [here.line]))
        for unit in (here.unit, here.node):
            await unit.stop()
        result = await sweep([here.line], [], library, here.owners, SystemClock(), methods=[ArtNetPoll()])
        both = await explain(Case(KNOWN, "Wall dimmer", here.line, result.findings, [], library, [here.line]))
    assert absent.reasons[0].reason == "Its node at 127.29.70.6 has it in its table, and it does not answer."
    assert both.reasons[0].reason == "Its node at 127.29.70.6 does not answer, so nobody behind it can."


async def test_one_that_left_the_line_is_not_in_its_nodes_table(library: Library, tmp_path: Path) -> None:
    async with bench(library, "tamsel-k1", tmp_path, NETWORK) as here:
        await here.unit.stop()
        result = await sweep([here.line], [], library, here.owners, SystemClock(), methods=[ArtNetPoll()])
        absent = await explain(Case(KNOWN, "Wall dimmer", here.line, result.findings, [], library, [here.line]))
    assert absent.reasons[0].reason == "Its node at 127.29.70.6 answers and does not have it on any port."


async def test_one_that_answers_needs_no_reason(library: Library, tmp_path: Path) -> None:
    async with bench(library, "tamsel-k1", tmp_path, NETWORK) as here:
        result = await sweep([here.line], [KNOWN], library, here.owners, SystemClock(), methods=[ArtNetPoll()])
        absent = await explain(Case(KNOWN, "Wall dimmer", here.line, result.findings, [], library, [here.line]))
    assert not absent.reasons


async def test_units_and_their_node_are_talked_to_side_by_side(library: Library, tmp_path: Path) -> None:
    """All talks share one port of this computer: nobody takes the answers of another."""
    async with bench(library, "skellan-f6", tmp_path, NETWORK) as here:
        unit, node = await here.talk(), await here.sessions.talk(_node_of(here.target), "test", 1)
        for _ in range(3):
            document, other = await asyncio.gather(unit.read("running"), node.read("running"))
            assert document["dmx"]["start"] == 1
            assert other["ports"]["1"]["universe"] == 3


def _node_of(target: Target) -> Target:
    return replace(
        target, device="d2", name="Node", profile="lumenfold-n4", address=HOST, maker="Lumenfold", models=("N4",)
    )


async def test_what_takes_its_time_is_waited_for(library: Library, tmp_path: Path) -> None:
    """The start address of this model is set after a moment (ACK_TIMER), and told when it is asked for."""
    async with bench(library, "skellan-f6", tmp_path, NETWORK) as here:
        talk = await here.talk()
        await talk.read("running")
        await talk.write([Change("/dmx/start", 1, 97)])
        assert (await talk.read("running"))["dmx"]["start"] == 97
        await talk.write([Change("/dmx/personality", "rgbw", "fine")])
        assert (await talk.states())["footprint"] == "8", "it follows the personality"


# A node that misbehaves


Reply = Callable[[rdm.Message], list[rdm.Message]]
Far = TypeVar("Far", bound=asyncio.DatagramProtocol)


class Wire(asyncio.DatagramProtocol):
    def __init__(self, reply: Reply) -> None:
        self.reply, self.asked = reply, list[rdm.Message]()

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        self.transport: asyncio.DatagramTransport = transport  # type: ignore[assignment]

    def datagram_received(self, data: bytes, addr: tuple[str, int]) -> None:
        _, message = artnet_rdm.parse_answer(data)
        self.asked.append(message)
        for answer in self.reply(message):
            self.transport.sendto(artnet_rdm.ask(3, rdm.pack(answer)), addr)


async def false_node(factory: Callable[[], Far]) -> tuple[asyncio.DatagramTransport, Far]:
    sock = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    sock.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    sock.bind((FALSE_NODE, 6454))
    return await asyncio.get_running_loop().create_datagram_endpoint(factory, sock=sock)


@asynccontextmanager
async def wire(reply: Reply) -> AsyncIterator[tuple[Node, Wire]]:
    transport, made = await false_node(lambda: Wire(reply))
    node = Node(SharedPort(LINE.source, 6454, "lo"), FALSE_NODE, 0.3)
    node.places[UNIT] = 3
    try:
        async with node.open():
            yield node, made
    finally:
        transport.close()


def told(message: rdm.Message, data: bytes = b"", kind: int = rdm.ACK, **other: int) -> rdm.Message:
    parameter, command = other.get("parameter", message.parameter), other.get("command", message.command + 1)
    return rdm.Message(message.source, UNIT, other.get("number", message.number), command, parameter, data, kind)


async def test_more_than_fits_is_asked_for_in_parts() -> None:
    parts = iter([(b"a" * 200, rdm.ACK_OVERFLOW), (b"b" * 9, rdm.ACK)])
    async with wire(lambda m: [told(m, *next(parts))]) as (node, _):
        assert await node.get(UNIT, 0x8001) == b"a" * 200 + b"b" * 9


async def test_parts_without_end_have_one() -> None:
    async with wire(lambda m: [told(m, b"a" * 231, rdm.ACK_OVERFLOW)]) as (node, made):
        try:
            assert len(await node.get(UNIT, 0x8001)) <= MOST_DATA
        except ProtocolError:
            pass
        assert len(made.asked) < 30


@pytest.mark.parametrize(
    ("reason", "error"),
    [(0, Absent), (4, Refused), (6, Refused), (7, Busy), (0x7777, Refused)],
)
async def test_refusals_by_reason(reason: int, error: type[NetloomError]) -> None:
    async with wire(lambda m: [told(m, reason.to_bytes(2, "big"), rdm.NACK)]) as (node, _):
        with pytest.raises(error):
            await node.get(UNIT, rdm.LABEL)


async def test_one_that_needs_more_time_each_time_is_busy() -> None:
    async with wire(lambda m: [told(m, b"\x00\x01", rdm.ACK_TIMER)]) as (node, made):
        with pytest.raises(Busy):
            await node.get(UNIT, rdm.LABEL)
        assert len(made.asked) < 30


async def test_one_that_needs_an_hour_is_not_waited_for() -> None:
    async with wire(lambda m: [told(m, b"\x8c\xa0", rdm.ACK_TIMER)]) as (node, _):
        with pytest.raises(Busy, match="3600 s"):
            await asyncio.wait_for(node.get(UNIT, rdm.LABEL), SOON_S)


async def test_answers_to_others_and_old_ones_are_not_ours() -> None:
    """An earlier number, another unit, another parameter; then silence."""
    other = bytes.fromhex("7ff200000002")

    def reply(m: rdm.Message) -> list[rdm.Message]:
        return [
            told(m, b"old", number=(m.number - 1) & 0xFF), told(m, b"else", parameter=0x00C0),
            rdm.Message(m.source, other, m.number, m.command + 1, m.parameter, b"other", rdm.ACK),
        ]  # fmt: skip

    async with wire(reply) as (node, made):
        with pytest.raises(NoAnswer):
            await node.get(UNIT, rdm.LABEL)
        assert len(made.asked) == 3, "a question is repeated"


async def test_what_sets_something_is_said_once() -> None:
    async with wire(lambda m: []) as (node, made):
        with pytest.raises(NoAnswer) as caught:
            await node.set(UNIT, rdm.LABEL, b"x")
        assert caught.value.outcome == "unknown"
        assert len(made.asked) == 1


async def test_a_unit_that_its_node_does_not_have(library: Library, tmp_path: Path) -> None:
    async with bench(library, "tamsel-k1", tmp_path, NETWORK) as here:
        node = Node(here.owners.shared(here.line, 6454), HOST, 0.3)
        async with node.open():
            with pytest.raises(NobodyThere, match="7FF2:00000099"):
                await node.find(bytes.fromhex("7ff200000099"))


async def test_nobody_at_the_nodes_address() -> None:
    owners = Owners()
    node = Node(owners.shared(LINE, 6454), f"{NETWORK}.99", 0.3)
    async with node.open():
        with pytest.raises(NobodyThere):
            await node.find(UNIT)


async def test_the_parts_of_a_nodes_answer_come_in_any_order(library: Library, tmp_path: Path) -> None:
    """Each after a moment of its own: what the node has is read whole, however they come."""
    async with bench(library, "lumenfold-n4", tmp_path, NETWORK, answers={"artnet": {"bind": 3}}) as here:
        talk = await here.talk()
        first = await talk.read("running")
        assert set(first["ports"]) == {"1", "2", "3", "4"}
        for _ in range(6):
            assert await talk.read("running") == first


async def test_one_lost_poll_is_no_absence(library: Library) -> None:
    transport, node = await false_node(Late)
    owners = Owners()
    driver = await Drivers(library, owners).open(Target("d", "Node", "lumenfold-n4", LINE, FALSE_NODE))
    behind = Node(owners.shared(LINE, artnet.PORT), FALSE_NODE, 0.3)
    try:
        async with behind.open():
            assert 3 in await behind.ports()
        assert node.lost == {0}
        node.lost.clear()
        await asyncio.sleep(1.5)  # what is still to come of that poll
        assert (await driver.identify()).firmware == "1.0"
        assert node.lost == {0}
    finally:
        await driver.close()
        transport.close()


class Liar(asyncio.DatagramProtocol):
    """A node that tells hundreds of units on its port, and lets nobody talk to any of them."""

    units = 400

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        self.transport: asyncio.DatagramTransport = transport  # type: ignore[assignment]
        self.lost: set[int] = set()  # the first poll, as 0, and the first question for each universe's table

    def datagram_received(self, data: bytes, addr: tuple[str, int]) -> None:
        if data[8:10] == (0x2000).to_bytes(2, "little"):
            self.polled(addr)
        if data[8:10] == (0x8000).to_bytes(2, "little"):
            for universe in data[24 : 24 + data[23]]:
                self.asked(universe, addr)

    def polled(self, addr: tuple[str, int]) -> None:
        self.tell_port(3, 1, addr)

    def tell_port(self, universe: int, index: int, addr: tuple[str, int]) -> None:
        reply = artnet.PollReply(
            FALSE_NODE, "liar", "liar", "", "1.0", 0, "7FF0", "node", (universe,), "0a:00:00:00:00:16", index, ""
        )
        packet = bytearray(artnet.build_reply(reply))
        packet[23] |= 0x02
        self.transport.sendto(bytes(packet), addr)

    def asked(self, universe: int, addr: tuple[str, int]) -> None:
        units = [b"\x7f\xf2" + bytes((universe,)) + n.to_bytes(3, "big") for n in range(1, self.units + 1)]
        for block in range(0, len(units), 200):
            part = units[block : block + 200]
            head = artnet.ID + b"\x00\x81\x00\x0e\x01\x01" + bytes(6) + b"\x01\x00\x00" + bytes((universe,))
            count = self.units.to_bytes(2, "big") + bytes((block // 200, len(part)))
            self.transport.sendto(head + count + b"".join(part), addr)


class Late(Liar):
    """It loses the first poll, and each first question for a table; it tells its second port late, and never tells the
    table of its third."""

    units = 1

    def polled(self, addr: tuple[str, int]) -> None:
        for universe, after in ((3, 0.0), (4, 1.3), (5, 0.1)) if 0 in self.lost else ():
            asyncio.get_running_loop().call_later(after, self.tell_port, universe, universe, addr)
        self.lost.add(0)

    def asked(self, universe: int, addr: tuple[str, int]) -> None:
        if universe in self.lost:
            super().asked(universe, addr)
        elif universe != 5:
            self.lost.add(universe)


async def swept_node(library: Library, monkeypatch: pytest.MonkeyPatch, node: type[Liar]) -> SweepResult:
    transport, _ = await false_node(node)
    monkeypatch.setattr("netloom_core.sweep.methods.artnet.broadcast_of", lambda *_: FALSE_NODE)
    monkeypatch.setattr("netloom_core.sweep.methods.artnet.UNIT_S", 0.1)
    try:
        return await asyncio.wait_for(
            sweep([LINE], [], library, Owners(), SystemClock(), methods=[ArtNetPoll()]), SOON_S
        )
    finally:
        transport.close()


async def test_a_node_that_tells_hundreds_who_are_silent_has_an_end(
    library: Library, monkeypatch: pytest.MonkeyPatch
) -> None:
    result = await swept_node(library, monkeypatch, Liar)
    assert [finding.address for finding in result.findings] == [FALSE_NODE]
    assert "400 units in its table; after 8 silent ones" in " ".join(result.reports[0].notes)


async def test_what_a_node_tells_late_or_loses_once_is_asked_for_and_what_it_never_tells_is_not_called_empty(
    library: Library, monkeypatch: pytest.MonkeyPatch
) -> None:
    result = await swept_node(library, monkeypatch, Late)
    facts = result.findings[0].facts
    assert (facts["units"], facts["untold_universes"]) == ("2", "5")
    assert facts["mute_units"] == "7ff2:03000001 7ff2:04000001".upper()
    assert "does not tell who is on its ports in universe 5" in " ".join(result.reports[0].notes)
    record = replace(KNOWN, address=f"{FALSE_NODE}#7ff205000001", keys=("rdm:7ff2:05000001",))
    absent = await explain(Case(record, "Wash", LINE, result.findings, [], library, [LINE]))
    assert "did not tell who is on its ports in 5: whether it hangs there is not known" in absent.reasons[0].reason
