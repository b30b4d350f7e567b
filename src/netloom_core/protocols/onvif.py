"""ONVIF device management: the two questions that a sweep asks, the time and who it is.

Source: ONVIF Core Specification, clauses 5.9.4 (user name token), 8.3.1 (GetDeviceInformation)
and 8.3.4 (GetSystemDateAndTime, which needs no user). A digest is only good for a few seconds by
the device's own clock (WSS UsernameToken Profile 1.0), so its time is asked first. Only reads.
"""

from __future__ import annotations

import base64
import hashlib
from datetime import UTC, datetime
from xml.sax.saxutils import escape

from netloom_core.errors import ProtocolError, WrongCredentials
from netloom_core.protocols.xml import find_all, parse, text_of

DEVICE = "http://www.onvif.org/ver10/device/wsdl"
SECURITY = "http://docs.oasis-open.org/wss/2004/01/oasis-200401-wss-wssecurity-secext-1.0.xsd"
UTILITY = "http://docs.oasis-open.org/wss/2004/01/oasis-200401-wss-wssecurity-utility-1.0.xsd"
DIGEST = "http://docs.oasis-open.org/wss/2004/01/oasis-200401-wss-username-token-profile-1.0#PasswordDigest"
FIELDS = {
    "Manufacturer": "maker",
    "Model": "model",
    "FirmwareVersion": "firmware",
    "SerialNumber": "serial",
    "HardwareId": "hardware",
}


def password_digest(nonce: bytes, created: str, password: str) -> str:
    """Base64(SHA-1(nonce + created + password)), WSS UsernameToken Profile 1.0 clause 3.1."""
    return base64.b64encode(hashlib.sha1(nonce + created.encode() + password.encode()).digest()).decode()  # noqa: S324


def _token(user: str, password: str, nonce: bytes, created: str) -> str:
    return (
        f'<s:Header><w:Security xmlns:w="{SECURITY}" xmlns:u="{UTILITY}"><w:UsernameToken>'
        f"<w:Username>{escape(user)}</w:Username>"
        f'<w:Password Type="{DIGEST}">{password_digest(nonce, created, password)}</w:Password>'
        f"<w:Nonce>{base64.b64encode(nonce).decode()}</w:Nonce><u:Created>{escape(created)}</u:Created>"
        "</w:UsernameToken></w:Security></s:Header>"
    )


def get_device_information(user: str = "", password: str = "", nonce: bytes = b"", created: str = "") -> bytes:
    """The request; with a user name token when `user` is given. `created` is UTC in ISO 8601."""
    header = _token(user, password, nonce, created) if user else ""
    return (
        '<?xml version="1.0" encoding="UTF-8"?><s:Envelope xmlns:s="http://www.w3.org/2003/05/soap-envelope">'
        f'{header}<s:Body><GetDeviceInformation xmlns="{DEVICE}"/></s:Body></s:Envelope>'
    ).encode()


def get_system_date_and_time() -> bytes:
    return (
        '<?xml version="1.0" encoding="UTF-8"?><s:Envelope xmlns:s="http://www.w3.org/2003/05/soap-envelope">'
        f'<s:Body><GetSystemDateAndTime xmlns="{DEVICE}"/></s:Body></s:Envelope>'
    ).encode()


def parse_system_date_and_time(data: bytes) -> datetime:
    """The device's own time in UTC. Raises ProtocolError when it tells none."""
    found = find_all(parse(data), "UTCDateTime")
    if not found:
        raise ProtocolError("not an answer to GetSystemDateAndTime")
    parts = [text_of(found[0], name, 10) for name in ("Year", "Month", "Day", "Hour", "Minute", "Second")]
    try:
        return datetime(*map(int, parts[:5]), min(int(parts[5]), 59), tzinfo=UTC)  # type: ignore[arg-type, misc]
    except (ValueError, OverflowError) as error:
        raise ProtocolError(f"a time that cannot be: {' '.join(parts)}") from error


def parse_device_information(data: bytes) -> dict[str, str]:
    """Facts by our names. Raises WrongCredentials for a fault NotAuthorized, else ProtocolError."""
    root = parse(data)
    if find_all(root, "Fault"):
        if b"NotAuthorized" in data:
            raise WrongCredentials("The device wants a user name and a password for that.")
        raise ProtocolError(f"SOAP fault: {text_of(root, 'Text') or text_of(root, 'Reason')}")
    answers = find_all(root, "GetDeviceInformationResponse")
    if not answers:
        raise ProtocolError("not an answer to GetDeviceInformation")
    return {fact: value for name, fact in FIELDS.items() if (value := text_of(answers[0], name))}
