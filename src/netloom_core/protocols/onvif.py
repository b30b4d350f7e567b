"""ONVIF device management: any operation as a tree, and the two questions that a sweep asks, the time and who it is.

Source: ONVIF Core Specification, clauses 5.9.4 (user name token), 8.3.1 (GetDeviceInformation)
and 8.3.4 (GetSystemDateAndTime, which needs no user). A digest is only good for a few seconds by
the device's own clock (WSS UsernameToken Profile 1.0), so its time is asked first.
"""

from __future__ import annotations

import base64
import hashlib
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import UTC, datetime
from typing import Any
from xml.etree.ElementTree import Element
from xml.sax.saxutils import escape

from netloom_core.errors import Absent, ProtocolError, Refused, WrongCredentials
from netloom_core.protocols.xml import find_all, local, parse, text_of

COMMON = "http://www.onvif.org/ver10/schema"
DEVICE_IO = "http://www.onvif.org/ver10/deviceIO/wsdl"
EVENTS = "http://www.onvif.org/ver10/events/wsdl"
NOTIFICATION = "http://docs.oasis-open.org/wsn/b-2"
ADDRESSING = "http://www.w3.org/2005/08/addressing"
# What the standards name the actions of these operations, where that is not namespace and name.
ACTIONS = {
    "CreatePullPointSubscription": f"{EVENTS}/EventPortType/CreatePullPointSubscriptionRequest",
    "PullMessages": f"{EVENTS}/PullPointSubscription/PullMessagesRequest",
    "Unsubscribe": "http://docs.oasis-open.org/wsn/bw-2/SubscriptionManager/UnsubscribeRequest",
}
MOST_MESSAGES = 500
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


@dataclass(frozen=True)
class Token:
    """A user for one request. `created` is UTC in ISO 8601, by the device's own clock."""

    user: str
    password: str = field(repr=False)
    nonce: bytes
    created: str


def password_digest(nonce: bytes, created: str, password: str) -> str:
    """Base64(SHA-1(nonce + created + password)), WSS UsernameToken Profile 1.0 clause 3.1."""
    return base64.b64encode(hashlib.sha1(nonce + created.encode() + password.encode()).digest()).decode()  # noqa: S324


def _token(user: str, password: str, nonce: bytes, created: str) -> str:
    return (
        f'<w:Security xmlns:w="{SECURITY}" xmlns:u="{UTILITY}"><w:UsernameToken>'
        f"<w:Username>{escape(user)}</w:Username>"
        f'<w:Password Type="{DIGEST}">{password_digest(nonce, created, password)}</w:Password>'
        f"<w:Nonce>{base64.b64encode(nonce).decode()}</w:Nonce><u:Created>{escape(created)}</u:Created>"
        "</w:UsernameToken></w:Security>"
    )


def request(
    operation: str,
    body: Mapping[str, Any],
    namespace: str = DEVICE,
    token: Token | None = None,
    to: str = "",
) -> bytes:
    """An operation with its parameters: those of its own in the service's namespace, what is in them in the common one.

    Names that begin with `@` are attributes. `to` is the address of the service, which operations on events are
    told by (WS-Addressing 1.0). Raises ProtocolError for what XML cannot carry.
    """
    header = _token(token.user, token.password, token.nonce, token.created) if token else ""
    if action := ACTIONS.get(operation):
        header += f'<a:Action xmlns:a="{ADDRESSING}">{action}</a:Action><a:To xmlns:a="{ADDRESSING}">{_text(to)}</a:To>'
    header = f"<s:Header>{header}</s:Header>" if header else ""
    inner = "".join(_element(name, value, "", "tt:") for name, value in body.items())
    return (
        '<?xml version="1.0" encoding="UTF-8"?><s:Envelope xmlns:s="http://www.w3.org/2003/05/soap-envelope">'
        f'{header}<s:Body><{operation} xmlns="{namespace}" xmlns:tt="{COMMON}">{inner}</{operation}></s:Body>'
        "</s:Envelope>"
    ).encode()


def _element(name: str, value: Any, prefix: str, below: str) -> str:
    if isinstance(value, list):
        return "".join(_element(name, one, prefix, below) for one in value)
    if isinstance(value, Mapping):
        attributes = "".join(f' {n[1:]}="{_text(v)}"' for n, v in value.items() if n.startswith("@"))
        inner = "".join(_element(n, v, below, below) for n, v in value.items() if not n.startswith("@"))
        return f"<{prefix}{name}{attributes}>{inner}</{prefix}{name}>"
    return f"<{prefix}{name}>{_text(value)}</{prefix}{name}>"


def _text(value: Any) -> str:
    text = str(value).lower() if isinstance(value, bool) else str(value)
    if not text.isprintable():
        raise ProtocolError("XML cannot carry control characters.", outcome="not_sent")
    return escape(text, {'"': "&quot;"})


def response(data: bytes, operation: str) -> Element:
    """The answer's element. Raises WrongCredentials, Refused for another fault, ProtocolError where it is none."""
    root = parse(data)
    if find_all(root, "Fault"):
        if b"NotAuthorized" in data or b"FailedAuthentication" in data:
            raise WrongCredentials("The device wants a user name and a password for that.")
        said = text_of(root, "Text") or text_of(root, "Reason") or text_of(root, "Value")
        kind = Absent if b"ActionNotSupported" in data else Refused  # a subcode of ONVIF Core, table of generic faults
        raise kind(f"It refuses {operation}: {said}", "It was read back to see what it has now.")
    found = find_all(root, f"{operation}Response")
    if not found:
        raise ProtocolError(f"not an answer to {operation}")
    return found[0]


def relays(data: bytes) -> int:
    """How many relay outputs there are, by an answer to GetRelayOutputs (clause 8.6.1). Raises as `response` does."""
    return len([one for one in response(data, "GetRelayOutputs") if local(one) == "RelayOutputs"])


@dataclass(frozen=True)
class Notice:
    """One event: its topic without the prefixes of namespaces, what it is of, and what it tells (Core, clause 9)."""

    topic: str
    source: Mapping[str, str]
    data: Mapping[str, str]


def notices(answer: Element) -> list[Notice]:
    """The events in an answer to PullMessages."""
    found = []
    for message in find_all(answer, "NotificationMessage")[:MOST_MESSAGES]:
        topic = "/".join(part.rpartition(":")[2] for part in text_of(message, "Topic").split("/"))
        found.append(Notice(topic, _items(message, "Source"), _items(message, "Data")))
    return found


def _items(message: Element, part: str) -> dict[str, str]:
    return {
        item.get("Name", ""): item.get("Value", "")
        for one in find_all(message, part)
        for item in find_all(one, "SimpleItem")
    }


def services(answer: Element) -> dict[str, str]:
    """Where each service is, by its namespace, in an answer to GetServices (clause 8.1.2)."""
    return {text_of(one, "Namespace"): text_of(one, "XAddr") for one in find_all(answer, "Service")}


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
