"""One SNMP agent that is asked for tables, by v2c or v3: rows to their end, or a word that they have more."""

from __future__ import annotations

import random
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Protocol

from pysnmp.error import PySnmpError
from pysnmp.hlapi.v3arch import asyncio as hl

from netloom_core.errors import ProtocolError
from netloom_core.links.udp import UdpLink
from netloom_core.model.access import SnmpUser
from netloom_core.protocols import snmp
from netloom_core.sweep.pace import Share

ROWS = 40  # of all columns in one answer; fewer where an agent says that this is too big
MAX_ROWS = 20_000  # of one column: the forwarding table of a large switch
PATIENCE_S = (1.0, 1.5, 2.5)  # management processors of switches are slow when the switch is busy
V3_ANSWER_S = 2.0
AUTH = {"": hl.USM_AUTH_NONE, "MD5": hl.USM_AUTH_HMAC96_MD5, "SHA": hl.USM_AUTH_HMAC96_SHA,
        "SHA-256": hl.USM_AUTH_HMAC192_SHA256}  # fmt: skip
PRIV = {"": hl.USM_PRIV_NONE, "AES": hl.USM_PRIV_CFB128_AES}

Row = tuple[snmp.Oid, bytes | int | snmp.Oid]


class Asked(Protocol):
    """How questions reach an agent. None is silence, or a no to this user."""

    address: str

    async def get(self, oids: tuple[snmp.Oid, ...]) -> snmp.Response | None: ...

    async def bulk(self, oids: tuple[snmp.Oid, ...], repetitions: int) -> snmp.Response | None: ...


class ByCommunity:
    """v2c. A question is repeated with more patience, and a late answer to any of its repeats counts."""

    def __init__(self, pace: Share | None, link: UdpLink, address: str, community: str) -> None:
        self._pace, self._link, self.address, self._community = pace, link, address, community

    async def get(self, oids: tuple[snmp.Oid, ...]) -> snmp.Response | None:
        return await self._ask(lambda n: snmp.get(oids, self._community, n))

    async def bulk(self, oids: tuple[snmp.Oid, ...], repetitions: int) -> snmp.Response | None:
        return await self._ask(lambda n: snmp.get_bulk(oids, self._community, n, repetitions))

    async def _ask(self, make: Callable[[int], bytes]) -> snmp.Response | None:
        asked = set()
        for patience in PATIENCE_S:
            number = random.randint(1000, 2**31 - 1)  # noqa: S311 - only to tell answers apart
            asked.add(number)
            if self._pace is not None:
                await self._pace.take()
            await self._link.send(make(number), self.address, snmp.PORT)
            async for data, sender, _ in self._link.answers(patience):
                try:
                    response = snmp.parse(data)
                except ProtocolError:
                    continue
                if sender == self.address and response.request_id in asked:
                    return response
        return None


class ByUser:
    """v3 with a user, by pysnmp's engine. Close it when done."""

    def __init__(self, pace: Share | None, source: str, address: str, user: SnmpUser) -> None:
        self._pace, self._source, self.address = pace, source, address
        self._engine = hl.SnmpEngine()
        self._user = hl.UsmUserData(
            user.name,
            user.auth_key or None,
            user.priv_key or None,
            authProtocol=AUTH[user.auth],
            privProtocol=PRIV[user.priv],
        )
        self._target: hl.UdpTransportTarget | None = None
        self.refused = ""  # what the agent says against this user

    def close(self) -> None:
        self._engine.close_dispatcher()

    async def get(self, oids: tuple[snmp.Oid, ...]) -> snmp.Response | None:
        return await self._ask(lambda *head: hl.get_cmd(*head, *_types(oids), lookupMib=False))

    async def bulk(self, oids: tuple[snmp.Oid, ...], repetitions: int) -> snmp.Response | None:
        return await self._ask(lambda *head: hl.bulk_cmd(*head, 0, repetitions, *_types(oids), lookupMib=False))

    async def _ask(self, make: Callable[..., object]) -> snmp.Response | None:
        """Raises ProtocolError for what breaks the protocol."""
        try:
            if self._target is None:
                where = (self.address, snmp.PORT)
                self._target = await hl.UdpTransportTarget.create(where, timeout=V3_ANSWER_S, retries=1)
                self._target.set_local_address((self._source, 0))
            if self._pace is not None:
                await self._pace.take(2)
            trouble, status, _, binds = await make(self._engine, self._user, self._target, hl.ContextData())  # type: ignore[misc]
        except PySnmpError as error:
            raise ProtocolError(f"SNMPv3: {type(error).__name__}") from error
        if trouble:
            self.refused = str(trouble)[:80]
            return None
        found = tuple((tuple(map(int, name)), snmp.plain(value)) for name, value in binds)
        return snmp.Response(0, int(status), found)


def _types(oids: tuple[snmp.Oid, ...]) -> list[hl.ObjectType]:
    return [hl.ObjectType(hl.ObjectIdentity(oid)) for oid in oids]


@dataclass
class Column:
    """Rows of one column as they come; a row is (index, value). `whole` when its end was seen."""

    oid: snmp.Oid
    rows: list[Row] = field(default_factory=list)
    whole: bool = False
    over: bool = False

    @property
    def at(self) -> snmp.Oid:
        return self.oid + self.rows[-1][0] if self.rows else self.oid

    def take(self, response: snmp.Response, asked: int, number: int) -> None:
        """Its part of an answer about `asked` columns, of which it was the one with that number."""
        for name, value in response.binds[number::asked]:
            index = name[len(self.oid) :]
            if name[: len(self.oid)] != self.oid or value is None:
                self.whole = self.over = True
                return
            if self.rows and index <= self.rows[-1][0]:
                self.over = True  # RFC 3416, 4.2.3: rows come in their order
                return
            self.rows.append((index, value))


async def columns(agent: Asked, oids: Sequence[snmp.Oid], most: int = MAX_ROWS) -> dict[snmp.Oid, Column]:
    """All rows of several columns, asked for together. What has no end or no order gives a part."""
    found = {oid: Column(oid) for oid in oids}
    rows = ROWS
    while going := [column for column in found.values() if not column.over]:
        repetitions = max(1, rows // len(going))
        response = await agent.bulk(tuple(column.at for column in going), repetitions)
        if response is not None and response.error == snmp.TOO_BIG and rows > 1:
            rows = max(1, rows // 4)
            continue
        if response is None or response.error or not response.binds:
            break
        before = [len(column.rows) for column in going]
        for number, column in enumerate(going):
            column.take(response, len(going), number)
            column.over = column.over or len(column.rows) >= most
        # An answer that is full may have left some columns out; one that brings nothing new is the end.
        if before == [len(column.rows) for column in going] and not any(column.over for column in going):
            break
    return found
