"""SNMP notifications: what an agent says unasked. Not what they say is believed, only that there is something to see.

A trap names no connection and proves nobody, so its values are no readings. Source: RFC 1157 clause 4.1.6 (v1),
RFC 3416 clauses 4.2.6 and 4.2.7 (v2c), RFC 3412 clause 6 (v3, of which only the header is looked at).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from pyasn1.codec.ber import decoder, encoder
from pyasn1.error import PyAsn1Error
from pysnmp.error import PySnmpError
from pysnmp.proto import api
from pysnmp.proto.api.verdec import decode_message_version

from netloom_core.errors import ProtocolError

PORT = 162
MAX_DATAGRAM = 65_507
# What the decoder lets through of bytes that are none of its own.
BROKEN = (
    PyAsn1Error, PySnmpError, ValueError, TypeError, LookupError, AttributeError, OverflowError, RecursionError,
)  # fmt: skip
V1, V2C, V3 = 0, 1, 3  # msgVersion
TOOLS: Any = api.PROTOCOL_MODULES[api.SNMP_VERSION_2C]
OLD_TOOLS: Any = api.PROTOCOL_MODULES[api.SNMP_VERSION_1]


@dataclass(frozen=True)
class Notice:
    """`answer` is the response that an inform of v2c waits for, empty for a trap. An inform of v3 gets none: it could
    only come from an engine with a user of its own.
    """

    version: int
    answer: bytes = b""


def notice(data: bytes) -> Notice:
    """Raises ProtocolError for what is no notification."""
    if not 0 < len(data) <= MAX_DATAGRAM:
        raise ProtocolError("not an SNMP message")
    try:
        version = int(decode_message_version(data))
        if version == V3:
            return Notice(version)
        tools = {V1: OLD_TOOLS, V2C: TOOLS}[version]
        message, _ = decoder.decode(data, asn1Spec=tools.Message())
        pdu = tools.apiMessage.get_pdu(message)
        kind = pdu.__class__.__name__
        if kind == "InformRequestPDU":
            return Notice(version, _response(message, pdu))
        if kind not in ("TrapPDU", "SNMPv2TrapPDU"):
            raise ProtocolError("no notification of SNMP")
        return Notice(version)
    except BROKEN as error:
        raise ProtocolError("not an SNMP message") from error


def _response(message: Any, pdu: Any) -> bytes:
    """The same bindings under the same number (RFC 3416 clause 4.2.7)."""
    response = TOOLS.GetResponsePDU()
    TOOLS.apiPDU.set_defaults(response)
    TOOLS.apiPDU.set_request_id(response, TOOLS.apiPDU.get_request_id(pdu))
    TOOLS.apiPDU.set_varbinds(response, TOOLS.apiPDU.get_varbinds(pdu))
    reply = TOOLS.Message()
    TOOLS.apiMessage.set_defaults(reply)
    TOOLS.apiMessage.set_community(reply, TOOLS.apiMessage.get_community(message))
    TOOLS.apiMessage.set_pdu(reply, response)
    return bytes(encoder.encode(reply))
