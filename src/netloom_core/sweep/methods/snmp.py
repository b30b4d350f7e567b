"""SNMP: system group, MACs and the chassis by v2c and v3; engines by v3; what switches see behind their ports."""

from __future__ import annotations

import asyncio
import contextlib
import random
from collections.abc import Callable

from netloom_core.drivers.snmp.agent import Asked, ByCommunity, ByUser
from netloom_core.errors import NetloomError, ProtocolError
from netloom_core.links.udp import UdpLink
from netloom_core.protocols import snmp
from netloom_core.sweep.base import Look, Method
from netloom_core.sweep.methods.snmp_agent import columns
from netloom_core.sweep.methods.snmp_switch import read_switch

LISTEN_S = 2.5
OWN_S = 0.5  # an agent of this computer answers at once
AGAIN_S = 1.0  # who was met and did not answer is asked once more after that: datagrams get lost
MESSAGE_ID = 0x4E4C
MAX_ENTITIES = 2000  # rows, and interfaces
TABLES_S = 11.0  # of one agent; one that has more to tell, or never comes to an end, is cut off then


class Snmp(Method):
    name = "snmp"
    title = "SNMP v2c and v3"
    needs = "UDP port 161; a community or a user of the line's access."
    sends = "Get and GetBulk of system, interfaces and entities; an engine discovery; to switches walks."
    limit_s = 45.0

    async def run(self, look: Look) -> None:
        tables: list[asyncio.Task[None]] = []
        try:
            with UdpLink(look.line.source) as link:
                search = Search(look, link)
                if look.line.loopback and await search.own_agent():
                    look.note("Left out: an SNMP agent of this computer answers on every address.")
                    return
                search.met_agent = lambda at, how: tables.append(
                    asyncio.ensure_future(self._by_community(look, at, how))
                )
                search.met_engine = lambda at: tables.append(asyncio.ensure_future(self._by_users(look, at)))
                await search.run()
            await look.all_of(tables)
        finally:
            for task in tables:
                task.cancel()
        look.progress(1, 1)

    async def _by_community(self, look: Look, address: str, community: str) -> None:
        with UdpLink(look.line.source) as link:
            await read_tables(look, ByCommunity(look.pace, link, address, community))

    async def _by_users(self, look: Look, address: str) -> None:
        for user in look.access.snmp_users:
            agent = ByUser(look.pace, look.line.source, address, user)
            try:
                system = await agent.get(snmp.SYSTEM)
                if system is not None:
                    look.sight(address, self.name, snmp_user=user.name, **snmp.system_facts(system))
                    await read_tables(look, agent)
                    return
            except NetloomError as error:
                look.note(f"{address}: {error.message}")
            finally:
                agent.close()


async def read_tables(look: Look, agent: Asked) -> None:
    """The chassis, the MACs, and who is behind the ports of a switch; in the time for one agent."""
    try:
        async with asyncio.timeout(TABLES_S):
            oids = (snmp.IF_MAC, snmp.ENTITY_CLASS, *(oid for oid, _ in snmp.ENTITY))
            found = await columns(agent, oids, MAX_ENTITIES)
            facts = snmp.mac_facts(found[snmp.IF_MAC].rows)
            told = {name: found[oid].rows for oid, name in snmp.ENTITY}
            facts |= snmp.entity_facts(found[snmp.ENTITY_CLASS].rows, told)
            if facts:
                look.sight(agent.address, Snmp.name, **facts)
            await read_switch(look, agent)
    except TimeoutError:
        look.note(f"{agent.address} was asked for its tables for {TABLES_S:g} s, and then no longer: it is slow.")


class Search:
    """Who has an agent, on one line. An answer counts whenever it comes, and only from one that was asked."""

    def __init__(self, look: Look, link: UdpLink) -> None:
        self._look, self._link = look, link
        self._base = random.randint(1, 2**30)  # noqa: S311 - only to tell answers apart
        self._asked: set[str] = set()
        self.agents: dict[str, str] = {}
        self.engines: set[str] = set()
        self.met_agent: Callable[[str, str], None] = lambda address, community: None
        self.met_engine: Callable[[str], None] = lambda address: None

    async def own_agent(self) -> bool:
        """On loopback one that is bound to all addresses looks like an agent on each of them."""
        source = self._look.line.source
        await self._ask(source)
        async for data, address, _ in self._link.answers(OWN_S):
            if address == source and self._heard(data, address, quiet=True):
                return True
        self._asked.discard(source)
        return False

    async def run(self) -> None:
        asking = asyncio.ensure_future(self._ask_all())
        try:
            async for data, address, _ in self._link.answers(LISTEN_S, after=asking):
                self._heard(data, address)
            await asking
        finally:
            asking.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                await asking

    async def _ask_all(self) -> None:
        look, total = self._look, len(self._look.hosts())
        async for host in look.presence.first():
            await self._ask(host)
            if len(self._asked) % 64 == 0:
                look.progress(len(self._asked), total + 1)
        await asyncio.sleep(AGAIN_S)
        for host in sorted(self._asked & look.heard - set(self.agents)):
            await self._ask(host, engine=host not in self.engines)

    async def _ask(self, host: str, *, engine: bool = True) -> None:
        look = self._look
        self._asked.add(host)
        for number, community in enumerate(look.access.communities):
            await look.send(self._link, snmp.get(snmp.SYSTEM, community, self._base + number), host, snmp.PORT)
        if engine:
            await look.send(self._link, snmp.discovery(MESSAGE_ID), host, snmp.PORT)

    def _heard(self, data: bytes, address: str, *, quiet: bool = False) -> bool:
        """Whether it was an answer to what was asked there."""
        if address not in self._asked:
            return False
        look, communities = self._look, self._look.access.communities
        try:
            response = snmp.parse(data)
        except ProtocolError:
            return self._engine(data, address, quiet)
        number = response.request_id - self._base
        if not 0 <= number < len(communities):
            return False
        if address not in self.agents:
            self.agents[address] = communities[number]
            look.answered.add(address)
            if not quiet:
                look.sight(address, Snmp.name, **snmp.system_facts(response))
                self.met_agent(address, self.agents[address])
        return True

    def _engine(self, data: bytes, address: str, quiet: bool) -> bool:
        try:
            facts = snmp.engine_facts(snmp.parse_engine(data))
        except ProtocolError:
            return False
        if address not in self.engines:
            self.engines.add(address)
            self._look.answered.add(address)
            if not quiet:
                look = self._look
                look.sight(address, "snmp-engine", **facts)
                self.met_engine(address)
        return True
