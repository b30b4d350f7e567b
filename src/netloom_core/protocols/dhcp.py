"""DHCP and BOOTP messages, from either side. Source: RFC 2131, RFC 2132, RFC 951 with RFC 1542, RFC 6842.

Neither question that a sweep asks takes an address: DHCPINFORM asks for parameters only, and an offer to a
DHCPDISCOVER that nobody requests is forgotten by the server.
"""

from __future__ import annotations

import ipaddress
from dataclasses import dataclass

from netloom_core.errors import ProtocolError

CLIENT_PORT, SERVER_PORT = 68, 67
BOOTREQUEST, BOOTREPLY = 1, 2
COOKIE = bytes((99, 130, 83, 99))
HEAD = 236
BROADCAST = 0x8000
SUBNET, ROUTER, DNS, HOST, LEASE, KIND, SERVER, WANTED = 1, 3, 6, 12, 51, 53, 54, 55
REQUESTED, OVERLOAD, MESSAGE, VENDOR, CLIENT = 50, 52, 56, 60, 61
DISCOVER, OFFER, REQUEST, DECLINE, ACK, NAK, RELEASE, INFORM = 1, 2, 3, 4, 5, 6, 7, 8
ASKED = frozenset({DISCOVER, REQUEST, DECLINE, RELEASE, INFORM})
BOOTP = 0  # in place of a kind: a question without one (RFC 951)
PAD, END = 0, 255
MAX_BYTES = 4096
LEAST = 300  # bytes of a message, as BOOTP has it (RFC 951 clause 3; RFC 1542 clause 2.1)
MOST_TEXT = 64  # characters of a name that are kept
SNAME, FILE = slice(44, 108), slice(108, 236)


@dataclass(frozen=True)
class Answer:
    """What a server said: `kind` is OFFER or ACK, `server` its address, `offered` the address that it would give."""

    transaction: int
    kind: int
    server: str
    offered: str
    router: str
    subnet: str
    lease_s: int


def question(kind: int, transaction: int, mac: bytes, own: str = "0.0.0.0") -> bytes:  # noqa: S104 - none yet
    """DISCOVER or INFORM; `own` is the asker's address, which INFORM is answered at."""
    head = bytes((BOOTREQUEST, 1, 6, 0)) + transaction.to_bytes(4, "big") + bytes(2)
    head += (BROADCAST if kind == DISCOVER else 0).to_bytes(2, "big") + ipaddress.IPv4Address(own).packed
    head += bytes(12) + mac.ljust(16, b"\0") + bytes(192)
    options = bytes((KIND, 1, kind, WANTED, 3, SUBNET, ROUTER, DNS, END))
    return (head + COOKIE + options).ljust(300, b"\0")


def parse_answer(data: bytes) -> Answer:
    """Raises ProtocolError when it is no answer of a DHCP server."""
    if not HEAD + 4 <= len(data) <= MAX_BYTES or data[0] != BOOTREPLY or data[HEAD : HEAD + 4] != COOKIE:
        raise ProtocolError("not an answer of a DHCP server")
    options = _options(data[HEAD + 4 :], {})
    kind = options.get(KIND, b"\0")[:1]
    if kind not in (bytes((OFFER,)), bytes((ACK,)), bytes((NAK,))) or len(options.get(SERVER, b"")) != 4:
        raise ProtocolError("a BOOTP answer that names no DHCP server")
    return Answer(
        transaction=int.from_bytes(data[4:8], "big"),
        kind=kind[0],
        server=_address(options[SERVER]),
        offered=_address(data[16:20]),
        router=_address(options.get(ROUTER, b"")[:4]),
        subnet=_address(options.get(SUBNET, b"")[:4]),
        lease_s=int.from_bytes(options.get(LEASE, b"")[:4], "big"),
    )


def _address(data: bytes) -> str:
    return str(ipaddress.IPv4Address(data)) if len(data) == 4 and any(data) else ""


def _options(data: bytes, options: dict[int, bytes]) -> dict[int, bytes]:
    """Of one field; what stands twice is one value in parts (RFC 3396). Raises ProtocolError."""
    at = 0
    while at < len(data) and data[at] != END:
        if data[at] == PAD:
            at += 1
            continue
        if at + 2 > len(data) or at + 2 + data[at + 1] > len(data):
            raise ProtocolError("a DHCP option is cut off")
        options[data[at]] = options.get(data[at], b"") + data[at + 2 : at + 2 + data[at + 1]]
        at += 2 + data[at + 1]
    return options


@dataclass(frozen=True)
class Question:
    """What a client asks. `kind` is BOOTP for one that knows no DHCP; `own` the address that it has and uses,
    `requested` the one that it would like, `server` whose offer it takes, `relay` who passed the question on.
    """

    transaction: int
    kind: int
    mac: str
    own: str = ""
    requested: str = ""
    server: str = ""
    relay: str = ""
    broadcast: bool = False
    client: bytes = b""
    host: str = ""
    vendor: str = ""


def parse_question(data: bytes) -> Question:
    """Raises ProtocolError when it is no question of an Ethernet client."""
    if not HEAD <= len(data) <= MAX_BYTES or data[0] != BOOTREQUEST or data[1] != 1 or data[2] != 6:
        raise ProtocolError("no question of a BOOTP or DHCP client on Ethernet")
    mac = data[28:34]
    if not any(mac) or mac[0] & 1:
        raise ProtocolError("a question of nobody")
    options: dict[int, bytes] = {}
    if data[HEAD : HEAD + 4] == COOKIE:
        _options(data[HEAD + 4 :], options)
        overload = options.pop(OVERLOAD, b"\0")[:1]
        if overload in (b"\x01", b"\x03"):
            _options(data[FILE], options)
        if overload in (b"\x02", b"\x03"):
            _options(data[SNAME], options)
    kind = options.get(KIND, bytes((BOOTP,)))
    if len(kind) != 1 or (kind[0] not in ASKED and kind[0] != BOOTP) or (KIND in options and kind[0] == BOOTP):
        raise ProtocolError("not something that a DHCP client asks")
    return Question(
        transaction=int.from_bytes(data[4:8], "big"),
        kind=kind[0],
        mac=mac.hex(":"),
        own=_address(data[12:16]),
        requested=_address(options.get(REQUESTED, b"")),
        server=_address(options.get(SERVER, b"")),
        relay=_address(data[24:28]),
        broadcast=bool(int.from_bytes(data[10:12], "big") & BROADCAST),
        client=options.get(CLIENT, b"")[:255],
        host=_text(options.get(HOST, b"")),
        vendor=_text(options.get(VENDOR, b"")),
    )


def _text(data: bytes) -> str:
    return "".join(one for one in data.decode("utf-8", "replace") if one.isprintable())[:MOST_TEXT]


@dataclass(frozen=True)
class Given:
    """What a server says with an address. `seconds` is for how long; none of it to a BOOTP client."""

    address: str
    mask: str
    router: str = ""
    seconds: int = 0


def answer(question: Question, kind: int, server: str, given: Given | None = None, message: str = "") -> bytes:
    """OFFER, ACK or NAK, or with `kind` BOOTP a BOOTREPLY (RFC 2131 table 3). Without `given` no address is in it."""
    head = bytes((BOOTREPLY, 1, 6, 0)) + question.transaction.to_bytes(4, "big") + bytes(2)
    head += (BROADCAST if question.broadcast else 0).to_bytes(2, "big")
    head += _packed(question.own if kind == ACK else "") + _packed(given.address if given else "")
    head += _packed(server if kind == BOOTP else "") + _packed(question.relay)
    head += bytes.fromhex(question.mac.replace(":", "")).ljust(16, b"\0") + bytes(192)
    options = b""
    if kind != BOOTP:
        options += bytes((KIND, 1, kind, SERVER, 4)) + _packed(server)
    if given is not None or kind == ACK:
        options += _with(LEASE, given.seconds.to_bytes(4, "big") if given and given.seconds else b"")
        options += _with(SUBNET, _packed(given.mask) if given else b"")
        options += _with(ROUTER, _packed(given.router) if given and given.router else b"")
    options += _with(MESSAGE, message.encode()[:200]) + _with(CLIENT, question.client if kind != BOOTP else b"")
    return (head + COOKIE + options + bytes((END,))).ljust(LEAST, b"\0")


def _with(option: int, value: bytes) -> bytes:
    return bytes((option, len(value))) + value if value else b""


def _packed(address: str) -> bytes:
    return ipaddress.IPv4Address(address).packed if address else bytes(4)
