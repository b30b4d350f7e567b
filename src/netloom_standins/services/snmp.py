"""An SNMP v2c agent: system, interfaces, entities, and of a switch its ports and who is behind them."""

from __future__ import annotations

from bisect import bisect_right
from typing import Any

from pyasn1.codec.ber import decoder, encoder
from pyasn1.error import PyAsn1Error

from netloom_core.protocols import snmp
from netloom_standins.services.base import UdpService

V2C: Any = snmp.V2C


class SnmpAgent(UdpService):
    """`options`: community, description, ports (number: up or down), power (number: state), table (mac: port),
    names (number: what is printed at the port)."""

    port = snmp.PORT

    def rows(self) -> list[tuple[snmp.Oid, Any]]:
        unit, options = self.unit, self.options
        mac = bytes.fromhex(unit.mac.replace(":", ""))
        rows: dict[snmp.Oid, Any] = {
            snmp.SYS_DESCR: V2C.OctetString(options.get("description", f"{unit.profile.maker} {unit.profile.model}")),
            snmp.SYS_OBJECT: V2C.ObjectIdentifier((1, 3, 6, 1, 4, 1, 64999, 1)),
            snmp.SYS_NAME: V2C.OctetString(unit.host),
            snmp.SYS_PLACE: V2C.OctetString(options.get("place", "")),
            (*snmp.ENTITY_CLASS, 1): V2C.Integer(snmp.CHASSIS),
            (*snmp.ENTITY_SERIAL, 1): V2C.OctetString(unit.serial),
            (*snmp.ENTITY_MAKER, 1): V2C.OctetString(unit.profile.maker),
            (*snmp.ENTITY_MODEL, 1): V2C.OctetString(unit.reported_model),
            (*snmp.ENTITY_FIRMWARE, 1): V2C.OctetString(unit.firmware),
        }
        ports = options.get("ports", {1: "up"})
        for number, state in ports.items():
            rows[*snmp.IF_MAC, int(number)] = V2C.OctetString(mac[:5] + bytes(((mac[5] + int(number)) & 0xFF,)))
            rows[*snmp.IF_STATE, int(number)] = V2C.Integer(1 if state == "up" else 2)
            if len(ports) > 1:
                rows[*snmp.BRIDGE_PORT_IF, int(number)] = V2C.Integer(int(number))
        for number, power in options.get("power", {}).items():
            rows[*snmp.POE_STATE, 1, int(number)] = V2C.Integer(int(power))
        for address, number in options.get("table", {}).items():
            index = tuple(bytes.fromhex(address.replace(":", "")))
            rows[*snmp.BRIDGE_FDB_PORT, *index] = V2C.Integer(int(number))
        for number, name in options.get("names", {}).items():
            rows[*snmp.IF_NAME, int(number)] = V2C.OctetString(name)
        return sorted(rows.items(), key=lambda row: row[0])

    def answer(self, data: bytes) -> bytes:
        return answer_from(self.rows(), data, self.options.get("community", "public"))


def answer_from(rows: list[tuple[snmp.Oid, Any]], data: bytes, community: str) -> bytes:
    """The agent's answer out of sorted rows, by v2c; none to a wrong community, as real agents do."""
    try:
        message, _ = decoder.decode(data, asn1Spec=V2C.Message())
        named = str(V2C.apiMessage.get_community(message))
        request = V2C.apiMessage.get_pdu(message)
        kind = request.__class__.__name__
        asked = [tuple(map(int, oid)) for oid, _ in V2C.apiPDU.get_varbinds(request)]
    except (PyAsn1Error, ValueError, TypeError, AttributeError, IndexError):
        return b""
    if named != community:
        return b""
    if kind == "GetRequestPDU":
        have = dict(rows)
        binds = [(oid, have.get(oid, V2C.NoSuchObject(""))) for oid in asked]
    elif kind == "GetBulkRequestPDU":
        binds = _bulk(rows, asked, min(int(V2C.apiBulkPDU.get_max_repetitions(request)), 32))
    else:
        return b""
    response = V2C.GetResponsePDU()
    V2C.apiPDU.set_defaults(response)
    V2C.apiPDU.set_request_id(response, V2C.apiPDU.get_request_id(request))
    V2C.apiPDU.set_varbinds(response, binds)
    reply = V2C.Message()
    V2C.apiMessage.set_defaults(reply)
    V2C.apiMessage.set_community(reply, community)
    V2C.apiMessage.set_pdu(reply, response)
    return bytes(encoder.encode(reply))


def _bulk(rows: list[tuple[snmp.Oid, Any]], asked: list[snmp.Oid], count: int) -> list[tuple[snmp.Oid, Any]]:
    """RFC 3416 clause 4.2.3 without non-repeaters: the next `count` rows of each column, interleaved."""
    binds: list[tuple[snmp.Oid, Any]] = []
    at, names = list(asked), [oid for oid, _ in rows]
    for _ in range(count):
        for number, oid in enumerate(at):
            place = bisect_right(names, oid)
            binds.append(rows[place] if place < len(rows) else (oid, V2C.EndOfMibView("")))
            at[number] = binds[-1][0]
    return binds
