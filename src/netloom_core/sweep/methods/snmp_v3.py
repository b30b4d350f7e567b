"""SNMPv3 with a user: pysnmp's engine asks for the same facts as v2c."""

from __future__ import annotations

from pysnmp.error import PySnmpError
from pysnmp.hlapi.v3arch import asyncio as hl

from netloom_core.errors import ProtocolError
from netloom_core.model.access import SnmpUser
from netloom_core.protocols import snmp

ANSWER_S = 1.5
AUTH = {"": hl.USM_AUTH_NONE, "MD5": hl.USM_AUTH_HMAC96_MD5, "SHA": hl.USM_AUTH_HMAC96_SHA,
        "SHA-256": hl.USM_AUTH_HMAC192_SHA256}  # fmt: skip
PRIV = {"": hl.USM_PRIV_NONE, "AES": hl.USM_PRIV_CFB128_AES}


async def ask_v3(source: str, address: str, user: SnmpUser) -> dict[str, str]:
    """System and entity facts; nothing where the user is not known there. Raises ProtocolError."""
    engine = hl.SnmpEngine()
    try:
        data = hl.UsmUserData(
            user.name,
            user.auth_key or None,
            user.priv_key or None,
            authProtocol=AUTH[user.auth],
            privProtocol=PRIV[user.priv],
        )
        target = await hl.UdpTransportTarget.create((address, snmp.PORT), timeout=ANSWER_S, retries=0)
        target.set_local_address((source, 0))
        facts: dict[str, str] = {}
        trouble, status, _, binds = await hl.get_cmd(
            engine, data, target, hl.ContextData(), *_types(snmp.SYSTEM), lookupMib=False
        )
        if trouble or status:
            return {}
        facts.update(snmp.system_facts(_response(binds)))
        trouble, status, _, rows = await hl.bulk_cmd(
            engine, data, target, hl.ContextData(), 0, 8, *_types(snmp.COLUMNS), lookupMib=False
        )
        if not trouble and not status:
            facts.update(snmp.entity_facts(_response(rows)))
        return facts
    except PySnmpError as error:
        raise ProtocolError(f"SNMPv3: {type(error).__name__}") from error
    finally:
        engine.close_dispatcher()


def _types(oids: tuple[snmp.Oid, ...]) -> list[hl.ObjectType]:
    return [hl.ObjectType(hl.ObjectIdentity(oid)) for oid in oids]


def _response(binds: object) -> snmp.Response:
    found = []
    for name, value in binds:  # type: ignore[attr-defined]
        found.append((tuple(map(int, name)), snmp.plain(value)))
    return snmp.Response(0, 0, tuple(found))
