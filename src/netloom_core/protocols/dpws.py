"""What a device of the Devices Profile for Web Services says of itself: one question, by HTTP.

Source: Devices Profile for Web Services (February 2006), clauses 5.1 (ThisModel) and 5.2 (ThisDevice);
the question is Get of WS-Transfer (September 2004), clause 3.1. Only reads.
"""

from __future__ import annotations

from xml.sax.saxutils import escape

from netloom_core.errors import ProtocolError
from netloom_core.protocols.xml import find_all, parse, text_of

TRANSFER = "http://schemas.xmlsoap.org/ws/2004/09/transfer"
ADDRESSING = "http://schemas.xmlsoap.org/ws/2004/08/addressing"
FIELDS = {
    "ThisModel": {"Manufacturer": "maker", "ModelName": "model", "ModelNumber": "model_number"},
    "ThisDevice": {"FriendlyName": "title", "FirmwareVersion": "firmware", "SerialNumber": "serial"},
}


def get(endpoint: str, message: str) -> bytes:
    """The request for an endpoint's metadata; `message` is a fresh UUID."""
    return (
        '<?xml version="1.0" encoding="UTF-8"?><s:Envelope xmlns:s="http://www.w3.org/2003/05/soap-envelope" '
        f'xmlns:a="{ADDRESSING}"><s:Header><a:Action>{TRANSFER}/Get</a:Action><a:To>{escape(endpoint)}</a:To>'
        f"<a:MessageID>urn:uuid:{message}</a:MessageID><a:ReplyTo><a:Address>{ADDRESSING}/role/anonymous</a:Address>"
        "</a:ReplyTo></s:Header><s:Body/></s:Envelope>"
    ).encode()


def parse_metadata(data: bytes) -> dict[str, str]:
    """Facts by our names. Raises ProtocolError when it is no such answer."""
    root = parse(data)
    facts: dict[str, str] = {}
    for section, fields in FIELDS.items():
        for part in find_all(root, section)[:1]:
            facts |= {fact: value for name, fact in fields.items() if (value := text_of(part, name))}
    if not facts:
        raise ProtocolError("not the metadata of a device")
    return facts
