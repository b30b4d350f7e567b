"""SNMP: system group, MACs and serial numbers by v2c; engines by v3; what switches see behind their ports."""

from __future__ import annotations

import asyncio
import random
from collections.abc import Callable

from netloom_core.errors import NetloomError, ProtocolError
from netloom_core.links.udp import UdpLink
from netloom_core.protocols import snmp
from netloom_core.sweep.base import Look, Method
from netloom_core.sweep.methods.snmp_v3 import ask_v3

LISTEN_S = 2.5
USUAL_COMMUNITY = "public"
ROWS = 24
PATIENCE_S = (1.0, 1.5, 2.5)  # management processors of switches are slow when the switch is busy
MAX_WALK = 64  # requests of one walk; with ROWS each that is every port of a large switch


class Snmp(Method):
    name = "snmp"
    title = "SNMP v2c and v3"
    needs = "UDP port 161; a community or a user of the line's access."
    sends = "Get and GetBulk of system, interfaces and entities; an engine discovery; to switches a walk of ports."

    async def run(self, look: Look) -> None:
        hosts = look.hosts()
        if look.line.loopback:
            hosts = [look.line.source, *hosts]
        agents: dict[str, str] = {}
        engines: set[str] = set()
        with UdpLink(look.line.source) as link:
            asking = asyncio.ensure_future(self._ask_all(look, link, hosts))
            try:
                await self._hear(look, link, agents, engines, asking)
                await asking
            finally:
                asking.cancel()
        if look.line.source in agents or look.line.source in engines:
            look.note("Left out: an SNMP agent of this computer answers on every address.")
            return
        await asyncio.gather(
            *(self._more(look, address, community) for address, community in agents.items()),
            *(self._v3(look, address) for address in engines),
        )
        look.progress(len(hosts), len(hosts))

    async def _ask_all(self, look: Look, link: UdpLink, hosts: list[str]) -> None:
        questions = [snmp.get(snmp.SYSTEM, c, number + 1) for number, c in enumerate(look.access.communities)]
        for number, host in enumerate(hosts):
            await look.pace.take(len(questions) + 1)
            for question in questions:
                await link.send(question, host, snmp.PORT)
            await link.send(snmp.discovery(0x4E4C), host, snmp.PORT)
            if number % 64 == 0:
                look.progress(number, len(hosts))

    async def _hear(
        self, look: Look, link: UdpLink, agents: dict[str, str], engines: set[str], asking: asyncio.Future[None]
    ) -> None:
        own = False
        async for data, address, _ in link.answers(LISTEN_S, after=asking):
            own = own or address == look.line.source
            try:
                response = snmp.parse(data)
                if 1 <= response.request_id <= len(look.access.communities):
                    agents.setdefault(address, look.access.communities[response.request_id - 1])
                    if look.line.holds(address) and not own:
                        look.sight(address, self.name, **snmp.system_facts(response))
            except ProtocolError:
                try:
                    facts = snmp.engine_facts(snmp.parse_engine(data))
                except ProtocolError:
                    continue
                engines.add(address)
                if look.line.holds(address) and not own:
                    look.sight(address, "snmp-engine", **facts)

    async def _more(self, look: Look, address: str, community: str) -> None:
        """Serial number and MACs; of a switch also who is behind which port."""
        with UdpLink(look.line.source) as link:
            agent = Agent(look, link, address, community)
            rows = await agent.bulk(snmp.COLUMNS, 8)
            if rows is None:
                return
            if facts := snmp.entity_facts(rows):
                look.sight(address, self.name, **facts)
            ports = await port_table(agent)
            for mac, number in (await agent.walk(snmp.BRIDGE_FDB_PORT)) if ports else []:
                if len(mac) == 6 and isinstance(number, int):
                    text = bytes(part & 0xFF for part in mac).hex(":")
                    look.sight("", "forwarding", mac=text, switch=address, switch_port=str(ports.get(number, number)))

    async def _v3(self, look: Look, address: str) -> None:
        for user in look.access.snmp_users:
            await look.pace.take(8)
            try:
                facts = await ask_v3(look.line.source, address, user)
            except NetloomError:
                continue
            if facts:
                look.sight(address, self.name, **facts)
                return


class Agent:
    """One agent, asked by v2c. A question is repeated with more patience, and a late answer to it counts."""

    def __init__(self, look: Look | None, link: UdpLink, address: str, community: str) -> None:
        self._look, self._link, self.address, self._community = look, link, address, community

    async def bulk(self, oids: tuple[snmp.Oid, ...], repetitions: int) -> snmp.Response | None:
        return await self._ask(lambda n: snmp.get_bulk(oids, self._community, n, repetitions))

    async def get(self, oids: tuple[snmp.Oid, ...]) -> snmp.Response | None:
        return await self._ask(lambda n: snmp.get(oids, self._community, n))

    async def _ask(self, make: Callable[[int], bytes]) -> snmp.Response | None:
        asked = set()
        for patience in PATIENCE_S:
            number = random.randint(1000, 2**31 - 1)  # noqa: S311 - only to tell answers apart
            asked.add(number)
            if self._look is not None:
                await self._look.pace.take()
            await self._link.send(make(number), self.address, snmp.PORT)
            async for data, sender, _ in self._link.answers(patience):
                try:
                    response = snmp.parse(data)
                except ProtocolError:
                    continue
                if sender == self.address and response.request_id in asked:
                    return response
        return None

    async def walk(self, column: snmp.Oid) -> list[tuple[snmp.Oid, bytes | int | snmp.Oid]]:
        """(index, value) of all rows of a column, bounded."""
        rows: list[tuple[snmp.Oid, bytes | int | snmp.Oid]] = []
        at = column
        for _ in range(MAX_WALK):
            response = await self.bulk((at,), ROWS)
            found = snmp.column(response, column) if response else []
            fresh = [row for row in found if not rows or row[0] > rows[-1][0]]
            if not fresh:
                return rows
            rows += fresh
            if len(found) < ROWS:
                return rows
            at = column + rows[-1][0]
        return rows


async def port_table(agent: Agent) -> dict[int, int]:
    """Interface number by bridge port number; empty when it is no bridge."""
    rows = await agent.walk(snmp.BRIDGE_PORT_IF)
    return {index[0]: value for index, value in rows if len(index) == 1 and isinstance(value, int)}


async def port_state(source: str, switch: str, port: int, community: str) -> tuple[int | None, int | None]:
    """(ifOperStatus, pethPsePortDetectionStatus) of a switch's port now; None where it does not tell."""
    with UdpLink(source) as link:
        agent = Agent(None, link, switch, community)
        oids = ((*snmp.IF_STATE, port), (*snmp.POE_STATE, 1, port))
        response = await agent.get(oids)
        values = dict(response.binds) if response else {}
        link_state, power = (values.get(oid) for oid in oids)
        return link_state if isinstance(link_state, int) else None, power if isinstance(power, int) else None
