"""SSDP search and the UPnP device description it leads to.

Source: UPnP Device Architecture 2.0, clauses 1.3 (search) and 2.3 (device description).
"""

from __future__ import annotations

from netloom_core.errors import ProtocolError
from netloom_core.protocols.xml import clean, parse, text_of

GROUP, PORT = "239.255.255.250", 1900
MAX_DATAGRAM = 8192
FIELDS = {
    "manufacturer": "maker",
    "modelName": "model",
    "serialNumber": "serial",
    "friendlyName": "title",
    "modelNumber": "model_number",
}


def search(wait_s: int, target: str = "ssdp:all") -> bytes:
    """M-SEARCH; answers come spread over `wait_s` seconds (1 to 5, clause 1.3.2)."""
    return (
        f'M-SEARCH * HTTP/1.1\r\nHOST: {GROUP}:{PORT}\r\nMAN: "ssdp:discover"\r\nMX: {wait_s}\r\nST: {target}\r\n\r\n'
    ).encode()


def parse_answer(data: bytes) -> dict[str, str]:
    """Headers of a search answer by lower-case name. Raises ProtocolError for anything else."""
    if len(data) > MAX_DATAGRAM:
        raise ProtocolError("an SSDP answer is too long")
    lines = data.decode("latin-1").splitlines()
    if not lines or not lines[0].startswith("HTTP/1.1 200"):
        raise ProtocolError("not an answer to an SSDP search")
    headers: dict[str, str] = {}
    for line in lines[1:64]:
        name, colon, value = line.partition(":")
        if colon:
            headers[name.strip().lower()[:40]] = clean(value, 400)
    return headers


def uuid_of(headers: dict[str, str]) -> str:
    """The device's UUID out of its USN (clause 1.3.3), without what follows it."""
    usn = headers.get("usn", "")
    return usn.removeprefix("uuid:").partition("::")[0].lower() if usn.startswith("uuid:") else ""


def parse_description(data: bytes) -> dict[str, str]:
    """Facts of a device description. Raises ProtocolError when it is none."""
    root = parse(data)
    facts = {fact: value for name, fact in FIELDS.items() if (value := text_of(root, name))}
    udn = text_of(root, "UDN")
    if udn.lower().startswith("uuid:"):
        facts["uuid"] = udn[5:].lower()
    return facts
