"""One SNMP agent that is asked and told, by v2c or v3. Its own answers, from its own address, in time.

Source: RFC 3416 (v2c), RFC 3414 with RFC 7860 (SHA-2) and RFC 3826 (AES); AES of 256 bits has two ways to stretch a
short key, neither of them a standard: that of draft-blumenthal-aes-usm, which agents of open source have, and another.
"""

from __future__ import annotations

import random
from collections.abc import Callable, Sequence
from typing import Protocol

from pysnmp.error import PySnmpError
from pysnmp.hlapi.v3arch import asyncio as hl

from netloom_core.errors import ProtocolError
from netloom_core.links.udp import UdpLink
from netloom_core.model.snmp import SnmpUser
from netloom_core.protocols import snmp

PATIENCE_S = (1.0, 1.5, 2.5)  # management processors of switches are slow when the switch is busy
WRITE_S = 5.0  # told once: whether it was taken shows in what is read afterwards
V3_ANSWER_S = 2.0
AUTH = {"": hl.USM_AUTH_NONE, "MD5": hl.USM_AUTH_HMAC96_MD5, "SHA": hl.USM_AUTH_HMAC96_SHA,
        "SHA-224": hl.USM_AUTH_HMAC128_SHA224, "SHA-256": hl.USM_AUTH_HMAC192_SHA256,
        "SHA-384": hl.USM_AUTH_HMAC256_SHA384, "SHA-512": hl.USM_AUTH_HMAC384_SHA512}  # fmt: skip
PRIV = {"": hl.USM_PRIV_NONE, "AES": hl.USM_PRIV_CFB128_AES, "AES-256": hl.USM_PRIV_CFB256_AES_BLUMENTHAL,
        "AES-256-R": hl.USM_PRIV_CFB256_AES}  # fmt: skip


class Paced(Protocol):
    """Whatever bounds how much is sent."""

    async def take(self, count: int = 1) -> None: ...


class Asked(Protocol):
    """How questions reach an agent. None is silence, or a no to this user."""

    address: str

    @property
    def denied(self) -> bool:
        """Whether the agent said no to this user; a wrong community is silence."""
        ...

    async def get(self, oids: tuple[snmp.Oid, ...]) -> snmp.Response | None: ...

    async def bulk(self, oids: tuple[snmp.Oid, ...], repetitions: int) -> snmp.Response | None: ...

    async def set(self, values: Sequence[snmp.Setting]) -> snmp.Response | None: ...


class ByCommunity:
    """v2c. A question is repeated with more patience, and a late answer to any of its repeats counts."""

    def __init__(self, pace: Paced | None, link: UdpLink, address: str, community: str, port: int = snmp.PORT) -> None:
        self._pace, self._link, self.address, self._community = pace, link, address, community
        self._port = port

    @property
    def denied(self) -> bool:
        return False

    async def get(self, oids: tuple[snmp.Oid, ...]) -> snmp.Response | None:
        return await self._ask(lambda n: snmp.get(oids, self._community, n))

    async def bulk(self, oids: tuple[snmp.Oid, ...], repetitions: int) -> snmp.Response | None:
        return await self._ask(lambda n: snmp.get_bulk(oids, self._community, n, repetitions))

    async def set(self, values: Sequence[snmp.Setting]) -> snmp.Response | None:
        return await self._ask(lambda n: snmp.set_values(values, self._community, n), (WRITE_S,))

    async def _ask(self, make: Callable[[int], bytes], patiences: Sequence[float] = PATIENCE_S) -> snmp.Response | None:
        asked = set()
        for patience in patiences:
            number = random.randint(1000, 2**31 - 1)  # noqa: S311 - only to tell answers apart
            asked.add(number)
            if self._pace is not None:
                await self._pace.take()
            await self._link.send(make(number), self.address, self._port)
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

    def __init__(self, pace: Paced | None, source: str, address: str, user: SnmpUser, port: int = snmp.PORT) -> None:
        self._port = port
        self._pace, self._source, self.address = pace, source, address
        self._engine = hl.SnmpEngine()
        self._user = hl.UsmUserData(
            user.name,
            user.auth_key or None,
            user.priv_key or None,
            authProtocol=AUTH[user.auth],
            privProtocol=PRIV[user.priv],
        )
        self._targets: dict[bool, hl.UdpTransportTarget] = {}  # by whether it is told something
        self.refused = ""  # what the agent says against this user

    @property
    def denied(self) -> bool:
        return bool(self.refused) and "before timeout" not in self.refused

    def close(self) -> None:
        self._engine.close_dispatcher()

    async def get(self, oids: tuple[snmp.Oid, ...]) -> snmp.Response | None:
        return await self._ask(lambda *head: hl.get_cmd(*head, *_types(oids), lookupMib=False))

    async def bulk(self, oids: tuple[snmp.Oid, ...], repetitions: int) -> snmp.Response | None:
        return await self._ask(lambda *head: hl.bulk_cmd(*head, 0, repetitions, *_types(oids), lookupMib=False))

    async def set(self, values: Sequence[snmp.Setting]) -> snmp.Response | None:
        types = [hl.ObjectType(hl.ObjectIdentity(oid), snmp.made(kind, value)) for oid, kind, value in values]
        return await self._ask(lambda *head: hl.set_cmd(*head, *types, lookupMib=False), tells=True)

    async def _ask(self, make: Callable[..., object], *, tells: bool = False) -> snmp.Response | None:
        """Raises ProtocolError for what breaks the protocol."""
        try:
            target = self._targets.get(tells)
            if target is None:
                where = (self.address, self._port)
                seconds, again = (WRITE_S, 0) if tells else (V3_ANSWER_S, 1)
                target = await hl.UdpTransportTarget.create(where, timeout=seconds, retries=again)
                target.set_local_address((self._source, 0))
                self._targets[tells] = target
            if self._pace is not None:
                await self._pace.take(2)
            trouble, status, _, binds = await make(self._engine, self._user, target, hl.ContextData())  # type: ignore[misc]
        except PySnmpError as error:
            raise ProtocolError(f"SNMPv3: {type(error).__name__}") from error
        if trouble:
            self.refused = str(trouble)[:80]
            return None
        found = tuple((tuple(map(int, name)), snmp.plain(value)) for name, value in binds)
        return snmp.Response(0, int(status), found)


def _types(oids: tuple[snmp.Oid, ...]) -> list[hl.ObjectType]:
    return [hl.ObjectType(hl.ObjectIdentity(oid)) for oid in oids]
