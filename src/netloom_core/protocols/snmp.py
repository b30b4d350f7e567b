"""SNMP messages: v2c requests, their responses, and v3 engine discovery.

Encoding is pysnmp's; nothing here opens a socket. Source: RFC 1901 and 3416 (v2c), RFC
3412 clause 6 and RFC 3414 clause 4 (discovery), RFC 3411 clause 5 (engine id).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from pyasn1.codec.ber import decoder, encoder
from pyasn1.error import PyAsn1Error
from pysnmp.proto import api
from pysnmp.proto.mpmod.rfc3412 import ScopedPduData, SNMPv3Message
from pysnmp.proto.secmod.rfc3414.service import UsmSecurityParameters

from netloom_core.errors import ProtocolError
from netloom_core.protocols.xml import clean

PORT = 161
MAX_DATAGRAM = 65_507
MAX_MACS = 20
Oid = tuple[int, ...]
V2C: Any = api.PROTOCOL_MODULES[api.SNMP_VERSION_2C]

SYS_DESCR: Oid = (1, 3, 6, 1, 2, 1, 1, 1, 0)
SYS_OBJECT: Oid = (1, 3, 6, 1, 2, 1, 1, 2, 0)
SYS_NAME: Oid = (1, 3, 6, 1, 2, 1, 1, 5, 0)
SYS_PLACE: Oid = (1, 3, 6, 1, 2, 1, 1, 6, 0)
IF_DESCR: Oid = (1, 3, 6, 1, 2, 1, 2, 2, 1, 2)
IF_MAC: Oid = (1, 3, 6, 1, 2, 1, 2, 2, 1, 6)  # ifPhysAddress
IF_STATE: Oid = (1, 3, 6, 1, 2, 1, 2, 2, 1, 8)  # ifOperStatus: 1 is up
IF_NAME: Oid = (1, 3, 6, 1, 2, 1, 31, 1, 1, 1, 1)
ENTITY_CLASS: Oid = (1, 3, 6, 1, 2, 1, 47, 1, 1, 1, 1, 5)  # entPhysicalClass: 3 is a chassis
ENTITY_FIRMWARE: Oid = (1, 3, 6, 1, 2, 1, 47, 1, 1, 1, 1, 9)
ENTITY_SERIAL: Oid = (1, 3, 6, 1, 2, 1, 47, 1, 1, 1, 1, 11)
ENTITY_MAKER: Oid = (1, 3, 6, 1, 2, 1, 47, 1, 1, 1, 1, 12)
ENTITY_MODEL: Oid = (1, 3, 6, 1, 2, 1, 47, 1, 1, 1, 1, 13)
BRIDGE_PORT_IF: Oid = (1, 3, 6, 1, 2, 1, 17, 1, 4, 1, 2)  # dot1dBasePortIfIndex
BRIDGE_FDB_PORT: Oid = (1, 3, 6, 1, 2, 1, 17, 4, 3, 1, 2)  # dot1dTpFdbPort, indexed by MAC
VLAN_FDB_PORT: Oid = (1, 3, 6, 1, 2, 1, 17, 7, 1, 2, 2, 1, 2)  # dot1qTpFdbPort, indexed by database and MAC
LLDP_CHASSIS_KIND: Oid = (1, 0, 8802, 1, 1, 2, 1, 4, 1, 1, 4)  # indexed by time mark, local port, number
LLDP_CHASSIS: Oid = (1, 0, 8802, 1, 1, 2, 1, 4, 1, 1, 5)
LLDP_NAME: Oid = (1, 0, 8802, 1, 1, 2, 1, 4, 1, 1, 9)
LLDP_ABLE: Oid = (1, 0, 8802, 1, 1, 2, 1, 4, 1, 1, 12)  # lldpRemSysCapEnabled
LLDP_OWN_KIND: Oid = (1, 0, 8802, 1, 1, 2, 1, 3, 7, 1, 2)  # lldpLocPortIdSubtype, indexed by local port
LLDP_OWN_PORT: Oid = (1, 0, 8802, 1, 1, 2, 1, 3, 7, 1, 3)
LLDP_OWN_DESCR: Oid = (1, 0, 8802, 1, 1, 2, 1, 3, 7, 1, 4)
LLDP_BY_MAC = 4  # LldpChassisIdSubtype macAddress
LLDP_BRIDGE = 0x20  # the bit for a bridge in the first octet of LldpSystemCapabilitiesMap
POE_STATE: Oid = (1, 3, 6, 1, 2, 1, 105, 1, 1, 1, 6)  # pethPsePortDetectionStatus: 3 is delivering

SYSTEM = (SYS_DESCR, SYS_OBJECT, SYS_NAME, SYS_PLACE)
CHASSIS, STACK = 3, 11  # PhysicalClass
TOO_BIG, NO_SUCH_NAME = 1, 2  # error-status
# What the chassis row tells, by our names.
ENTITY = ((ENTITY_SERIAL, "serial"), (ENTITY_MAKER, "maker"), (ENTITY_MODEL, "model"), (ENTITY_FIRMWARE, "firmware"))


@dataclass(frozen=True)
class Response:
    """Bindings of a response; a value is bytes, int, an object id, or None where there is nothing."""

    request_id: int
    error: int
    binds: tuple[tuple[Oid, bytes | int | Oid | None], ...]


def get(oids: Sequence[Oid], community: str, request_id: int) -> bytes:
    return _request(V2C.GetRequestPDU(), oids, community, request_id, None)


def get_bulk(oids: Sequence[Oid], community: str, request_id: int, repetitions: int = 8) -> bytes:
    return _request(V2C.GetBulkRequestPDU(), oids, community, request_id, repetitions)


Setting = tuple[Oid, str, "int | str | bytes"]  # an object, its syntax, the value
NO_ACCESS = (6, 16, 17)  # noAccess, authorizationError, notWritable
WRONG_VALUE = (3, 7, 8, 9, 10)  # badValue, wrongType, wrongLength, wrongEncoding, wrongValue
ERRORS = {1: "too big", 2: "no such name", 3: "bad value", 4: "read only", 5: "general error", 6: "no access",
          7: "wrong type", 8: "wrong length", 9: "wrong encoding", 10: "wrong value", 11: "no creation",
          12: "inconsistent value", 13: "resource unavailable", 14: "commit failed", 15: "undo failed",
          16: "authorization error", 17: "not writable", 18: "inconsistent name"}  # fmt: skip


def made(syntax: str, value: int | str | bytes) -> Any:
    """A value in the syntax of its object (RFC 2578 clause 7.1). Raises ProtocolError where it cannot be that."""
    try:
        match syntax:
            case "integer":
                return V2C.Integer32(int(value))
            case "unsigned" | "gauge":
                return V2C.Gauge32(int(value))
            case "ticks":
                return V2C.TimeTicks(int(value))
            case "ip":
                return V2C.IpAddress(str(value))
            case "oid":
                return V2C.ObjectIdentifier(str(value))
            case "octets":
                return V2C.OctetString(hexValue=str(value))
            case _:
                return V2C.OctetString(value.encode() if isinstance(value, str) else value)
    except (PyAsn1Error, ValueError, TypeError) as error:
        raise ProtocolError(f"{value!r} is no {syntax} of SNMP", outcome="not_sent") from error


def set_values(values: Sequence[Setting], community: str, request_id: int) -> bytes:
    """A v2c SetRequest: all of it is taken, or none (RFC 3416 clause 4.2.5)."""
    pdu = V2C.SetRequestPDU()
    V2C.apiPDU.set_defaults(pdu)
    V2C.apiPDU.set_request_id(pdu, request_id)
    V2C.apiPDU.set_varbinds(pdu, [(oid, made(kind, value)) for oid, kind, value in values])
    message = V2C.Message()
    V2C.apiMessage.set_defaults(message)
    V2C.apiMessage.set_community(message, community)
    V2C.apiMessage.set_pdu(message, pdu)
    return bytes(encoder.encode(message))


def dotted(text: str) -> Oid:
    return tuple(int(part) for part in text.strip(".").split("."))


def _request(pdu: Any, oids: Sequence[Oid], community: str, request_id: int, repetitions: int | None) -> bytes:
    tool = V2C.apiPDU if repetitions is None else V2C.apiBulkPDU
    tool.set_defaults(pdu)
    tool.set_request_id(pdu, request_id)
    if repetitions is not None:
        tool.set_non_repeaters(pdu, 0)
        tool.set_max_repetitions(pdu, repetitions)
    tool.set_varbinds(pdu, [(oid, V2C.Null("")) for oid in oids])
    message = V2C.Message()
    V2C.apiMessage.set_defaults(message)
    V2C.apiMessage.set_community(message, community)
    V2C.apiMessage.set_pdu(message, pdu)
    return bytes(encoder.encode(message))


def parse(data: bytes) -> Response:
    """A v2c response. Raises ProtocolError for anything else."""
    if not 0 < len(data) <= MAX_DATAGRAM:
        raise ProtocolError("not an SNMP message")
    try:
        message, _ = decoder.decode(data, asn1Spec=V2C.Message())
        pdu = V2C.apiMessage.get_pdu(message)
        if pdu.__class__.__name__ != "ResponsePDU":
            raise ProtocolError("not an SNMP response")
        binds = tuple((tuple(map(int, oid)), plain(value)) for oid, value in V2C.apiPDU.get_varbinds(pdu))
        return Response(int(V2C.apiPDU.get_request_id(pdu)), int(V2C.apiPDU.get_error_status(pdu)), binds)
    except (PyAsn1Error, ValueError, TypeError, IndexError, AttributeError, OverflowError, RecursionError) as error:
        raise ProtocolError(f"not an SNMP response: {type(error).__name__}") from error


def plain(value: Any) -> bytes | int | Oid | None:
    """A value of pysnmp as ours."""
    kind = value.__class__.__name__
    if kind in ("NoSuchObject", "NoSuchInstance", "EndOfMibView", "Null"):
        return None
    if kind in ("ObjectIdentifier", "ObjectIdentity"):
        return tuple(map(int, value))
    if hasattr(value, "asOctets"):
        return bytes(value.asOctets())
    return int(value)


def text(value: bytes | int | Oid | None) -> str:
    return clean(value.decode("utf-8", "replace")) if isinstance(value, bytes) else ""


def mac(value: bytes | int | Oid | None) -> str:
    """An interface's MAC address; empty for loopback and tunnels."""
    return value.hex(":") if isinstance(value, bytes) and len(value) == 6 and any(value) else ""


def column(response: Response, oid: Oid) -> list[tuple[Oid, bytes | int | Oid]]:
    """(index, value) of the rows of a column that the response holds."""
    size = len(oid)
    return [(name[size:], value) for name, value in response.binds if name[:size] == oid and value is not None]


def system_facts(response: Response) -> dict[str, str]:
    values = dict(response.binds)
    enterprise = values.get(SYS_OBJECT)
    facts = {
        "description": text(values.get(SYS_DESCR)),
        "host": text(values.get(SYS_NAME)),
        "place": text(values.get(SYS_PLACE)),
        "object": ".".join(map(str, enterprise)) if isinstance(enterprise, tuple) else "",
    }
    return {name: value for name, value in facts.items() if value}


Rows = Sequence[tuple[Oid, bytes | int | Oid]]


def entity_facts(classes: Rows, columns: Mapping[str, Rows]) -> dict[str, str]:
    """What the chassis tells of itself, RFC 6933 clause 2.12.1; `columns` are by our names for them.

    Cards, power supplies and transceivers bear serial numbers, too, and name nothing but themselves. Of
    several chassis, as in a stack, the first stands for all. A table without classes names the device
    only when one row alone has anything to tell.
    """
    kinds = dict(classes)
    bearing = {index for rows in columns.values() for index, value in rows if text(value)}
    chosen = [index for index, kind in sorted(kinds.items()) if kind == CHASSIS]
    if not chosen and len(bearing) == 1 and not any(kinds.get(index) not in (None, 1, 2) for index in bearing):
        chosen = list(bearing)
    if not chosen:
        return {}
    told = {name: text(dict(rows).get(chosen[0])) for name, rows in columns.items()}
    return {name: value for name, value in told.items() if value}


def mac_facts(rows: Rows) -> dict[str, str]:
    """The MAC addresses of its interfaces."""
    macs = list(dict.fromkeys(found for _, value in rows if (found := mac(value))))
    return {"mac": macs[0], "macs": " ".join(macs[:MAX_MACS])} if macs else {}


def forwarding(rows: Rows) -> list[tuple[str, int]]:
    """(MAC, bridge port) of dot1dTpFdbPort and of dot1qTpFdbPort, whose index has the database first."""
    return [
        (bytes(part & 0xFF for part in index[-6:]).hex(":"), port)
        for index, port in rows
        if len(index) in (6, 7) and isinstance(port, int) and port > 0
    ]


def discovery(message_id: int, engine: bytes = b"") -> bytes:
    """A v3 request with no user and no engine; any v3 engine answers with a report that names itself.

    With `engine` it names that one, as such a report does.
    """
    security = UsmSecurityParameters()
    for number, value in enumerate((engine, 0, 0, b"", b"", b"")):
        security.setComponentByPosition(number, value)
    pdu = V2C.GetRequestPDU()
    V2C.apiPDU.set_defaults(pdu)
    V2C.apiPDU.set_request_id(pdu, message_id)
    message = SNMPv3Message()
    message.setComponentByPosition(0, 3)
    header = message.setComponentByPosition(1).getComponentByPosition(1)
    for number, value in enumerate((message_id, MAX_DATAGRAM, b"\x04", 3)):
        header.setComponentByPosition(number, value)
    message.setComponentByPosition(2, encoder.encode(security))
    scoped = ScopedPduData()
    plain = scoped.setComponentByPosition(0).getComponentByPosition(0)
    plain.setComponentByPosition(0, b"")
    plain.setComponentByPosition(1, b"")
    plain.setComponentByPosition(2).getComponentByPosition(2).setComponentByType(pdu.tagSet, pdu)
    message.setComponentByPosition(3, scoped)
    return bytes(encoder.encode(message))


def parse_engine(data: bytes) -> bytes:
    """The authoritative engine id in any v3 message. Raises ProtocolError when it is none."""
    if not 0 < len(data) <= MAX_DATAGRAM:
        raise ProtocolError("not an SNMP message")
    try:
        message, _ = decoder.decode(data, asn1Spec=SNMPv3Message())
        security, _ = decoder.decode(message.getComponentByPosition(2).asOctets(), asn1Spec=UsmSecurityParameters())
        engine = bytes(security.getComponentByPosition(0).asOctets())
    except (PyAsn1Error, ValueError, TypeError, IndexError, AttributeError, OverflowError, RecursionError) as error:
        raise ProtocolError(f"not an SNMPv3 message: {type(error).__name__}") from error
    if not 5 <= len(engine) <= 32:
        raise ProtocolError("an SNMP engine id of wrong length")
    return engine


def engine_facts(engine: bytes) -> dict[str, str]:
    """RFC 3411, SnmpEngineID: enterprise number, and a MAC or a text where it is made of one."""
    facts = {"engine": engine.hex(), "enterprise": str(int.from_bytes(engine[:4], "big") & 0x7FFF_FFFF)}
    if engine[0] & 0x80 and engine[4] == 3 and len(engine) == 11:
        facts["engine_mac"] = engine[5:].hex(":")  # of whom the image was made from, perhaps: it names nobody
    return facts
