"""Art-Net 4: ArtPoll and ArtPollReply, ArtAddress and ArtIpProg.

Source: Art-Net 4 Protocol Release, the tables of those names. All offsets are from
the start of the packet; multi-byte values are as each field's table says.
"""

from __future__ import annotations

import ipaddress
from collections.abc import Mapping
from dataclasses import dataclass

from netloom_core.errors import ProtocolError
from netloom_core.protocols.xml import clean

PORT = 6454
ID = b"Art-Net\x00"
OP_POLL, OP_POLL_REPLY = 0x2000, 0x2100
OP_ADDRESS, OP_IP_PROG, OP_IP_PROG_REPLY = 0x6000, 0xF800, 0xF900
MAX_PORTS = 4
NO_CHANGE, PROGRAM = 0x7F, 0x80
# Commands of ArtAddress that a node remembers; those of a port are the first port's and count up.
LED_NORMAL, LED_MUTE, LED_LOCATE = 0x02, 0x03, 0x04
MERGE_LTP, MERGE_HTP, ARTNET_SEL, ACN_SEL = 0x10, 0x50, 0x60, 0x70
DIRECTION = {"out": 0x20, "in": 0x30}
# What a node puts out when nobody sends to it any more: commands of ArtAddress, and bits 7 and 6 of Status3.
FAILURES = {"hold": (0x08, 0), "black": (0x09, 1), "full": (0x0A, 2), "scene": (0x0B, 3)}
STATUS_3, CAN_FAIL_OVER = 217, 0x20
PROTOCOL = 14
ANSWERS_S = 1.2  # after a poll: the node waits up to a second of its own, at random (ArtPoll)
PARTS_S = 1.1  # after a node's first reply: each comes after up to a second of its own (ArtPoll)
MIN_REPLY = 207  # up to and with the MAC; what follows came with later revisions
STYLES = {0: "node", 1: "controller", 2: "media server", 3: "router", 4: "backup", 5: "configuration", 6: "visualiser"}


@dataclass(frozen=True)
class Port:
    """`universe` is the low nibble of its port address; `direction`, out or in, is its present one."""

    outputs: bool
    inputs: bool
    universe: int
    merge: str  # htp or ltp
    source: str  # artnet or sacn; of an input what it is sent as

    @property
    def direction(self) -> str:
        return "out" if self.outputs else "in" if self.inputs else ""


@dataclass(frozen=True)
class PollReply:
    address: str
    short_name: str
    long_name: str
    report: str
    firmware: str
    oem: int
    esta: str
    style: str
    universes: tuple[int, ...]  # 15-bit port addresses of outputs
    mac: str
    bind_index: int
    rdm_uid: str
    net: int = 0
    subnet: int = 0
    ports: tuple[Port, ...] = ()
    indicators: str = ""  # normal, muted, located; empty where it does not tell
    rdm: bool = False  # whether it speaks RDM on its ports (Status1, bit 1)
    failure: str = ""  # of `FAILURES`; empty where it cannot be told what to do then
    from_rom: bool = False  # whether it runs what its factory gave it, for want of anything else (Status1, bit 2)
    rate: int | None = None  # the most frames a second that it puts out; None of nodes that do not tell

    def facts(self) -> dict[str, str]:
        facts = {
            "mac": self.mac,
            "rdm_uid": self.rdm_uid,
            "title": self.short_name,
            "long_name": self.long_name,
            "firmware": self.firmware,
            "esta": self.esta,
            "oem": f"{self.oem:04X}",
            "style": self.style,
            "universes": " ".join(map(str, self.universes)),
            # Of a node that answers in parts the first one is the node; the others are asked for by driving it.
            "mode": "rom" if self.from_rom else "",
            "dmx_ports": str(len(self.ports)) if self.bind_index <= 1 else "",
        }
        return {name: value for name, value in facts.items() if value}


def poll() -> bytes:
    """ArtPoll with no flags: answer once, do not report later changes by yourself."""
    return ID + OP_POLL.to_bytes(2, "little") + bytes((0, PROTOCOL, 0, 0))


def opcode(data: bytes) -> int:
    """The OpCode. Raises ProtocolError when it is no Art-Net packet."""
    if len(data) < 12 or data[:8] != ID:
        raise ProtocolError("not an Art-Net packet")
    return int.from_bytes(data[8:10], "little")


def _text(data: bytes) -> str:
    return clean(data.split(b"\x00", 1)[0].decode("latin-1"), 64)


def _mac(data: bytes) -> str:
    return data.hex(":") if any(data) and data != b"\xff" * 6 else ""


def parse_reply(data: bytes) -> PollReply:
    """An ArtPollReply. Raises ProtocolError for anything else."""
    if opcode(data) != OP_POLL_REPLY:
        raise ProtocolError("not an ArtPollReply")
    if len(data) < MIN_REPLY:
        raise ProtocolError(f"an ArtPollReply of {len(data)} bytes is too short")
    ports = min(int.from_bytes(data[172:174], "big"), 4)
    base = (data[18] & 0x7F) << 8 | (data[19] & 0x0F) << 4
    outputs = [n for n in range(ports) if data[174 + n] & 0x80]
    uid = data[218:224] if len(data) >= 224 else b""
    return PollReply(
        address=str(ipaddress.IPv4Address(data[10:14])),
        short_name=_text(data[26:44]),
        long_name=_text(data[44:108]),
        report=_text(data[108:172]),
        firmware=f"{data[16]}.{data[17]}",
        oem=int.from_bytes(data[20:22], "big"),
        esta=f"{int.from_bytes(data[24:26], 'little'):04X}",
        style=STYLES.get(data[200], str(data[200])),
        universes=tuple(base | data[190 + n] & 0x0F for n in outputs),
        mac=_mac(data[201:207]),
        bind_index=data[211] if len(data) > 211 else 0,
        rdm_uid=f"{uid[:2].hex()}:{uid[2:].hex()}".upper() if any(uid) else "",
        net=data[18] & 0x7F,
        subnet=data[19] & 0x0F,
        ports=tuple(_port(data, n) for n in range(ports)),
        indicators={1: "located", 2: "muted", 3: "normal"}.get(data[23] >> 6, ""),
        rdm=bool(data[23] & 0x02),
        from_rom=bool(data[23] & 0x04),
        failure=_failure(data[STATUS_3]) if len(data) > STATUS_3 else "",
        rate=int.from_bytes(data[226:228], "big") or None if len(data) >= 228 else None,
    )


def _failure(status: int) -> str:
    return (
        next((word for word, (_, bits) in FAILURES.items() if bits == status >> 6), "")
        if status & CAN_FAIL_OVER
        else ""
    )


def _port(data: bytes, n: int) -> Port:
    kind, good = data[174 + n], data[182 + n]
    outputs = bool(kind & 0x80)
    return Port(
        outputs, bool(kind & 0x40), data[(190 if outputs else 186) + n] & 0x0F, "ltp" if good & 0x02 else "htp",
        "sacn" if (good if outputs else data[178 + n]) & 0x01 else "artnet",
    )  # fmt: skip


def address(
    bind_index: int,
    *,
    net: int | None = None,
    subnet: int | None = None,
    short_name: str | None = None,
    long_name: str | None = None,
    universes: Mapping[int, int] | None = None,
    inputs: Mapping[int, int] | None = None,
    command: int = 0,
) -> bytes:
    """ArtAddress: what is not given stays as it is; `universes` of outputs and of `inputs` are by port, from 0."""
    lows = [
        PROGRAM | given[n] if n in given else NO_CHANGE
        for given in (inputs or {}, universes or {})
        for n in range(MAX_PORTS)
    ]
    names = _name(short_name, 18) + _name(long_name, 64)
    head = ID + OP_ADDRESS.to_bytes(2, "little") + bytes((0, PROTOCOL, _switch(net), bind_index))
    return head + names + bytes([*lows, _switch(subnet), 0, command])


def _switch(value: int | None) -> int:
    return NO_CHANGE if value is None else PROGRAM | value


def _name(text: str | None, size: int) -> bytes:
    """All zeros is no change, so an empty name is a blank."""
    if text is None:
        return bytes(size)
    data = (text or " ").encode("latin-1", "replace")
    if len(data) > size - 1:
        raise ProtocolError(f"A name of {len(data)} letters does not fit {size - 1}.", outcome="not_sent")
    return data.ljust(size, b"\x00")


def ip_prog(ip: str | None = None, mask: str | None = None) -> bytes:
    """ArtIpProg: program what is given; without anything it only asks."""
    command = (0x80 if ip or mask else 0) | (0x04 if ip else 0) | (0x02 if mask else 0)
    body = ipaddress.IPv4Address(ip or 0).packed + ipaddress.IPv4Address(mask or 0).packed
    return ID + OP_IP_PROG.to_bytes(2, "little") + bytes((0, PROTOCOL, 0, 0, command, 0)) + body + bytes(10)


def parse_ip_prog_reply(data: bytes) -> tuple[str, str, bool]:
    """(address, mask, whether by DHCP). Raises ProtocolError."""
    if opcode(data) != OP_IP_PROG_REPLY or len(data) < 27:
        raise ProtocolError("not an ArtIpProgReply")
    return str(ipaddress.IPv4Address(data[16:20])), str(ipaddress.IPv4Address(data[20:24])), bool(data[26] & 0x40)


def build_reply(reply: PollReply) -> bytes:
    """The packet of a node; for stand-ins and tests."""
    first = reply.universes[0] if reply.universes else 0
    major, _, minor = reply.firmware.partition(".")
    data = bytearray(239)
    data[:10] = ID + OP_POLL_REPLY.to_bytes(2, "little")
    data[10:14] = ipaddress.IPv4Address(reply.address).packed
    data[14:16] = PORT.to_bytes(2, "little")
    data[16], data[17] = int(major), int(minor)
    data[18], data[19] = first >> 8 & 0x7F, first >> 4 & 0x0F
    data[20:22] = reply.oem.to_bytes(2, "big")
    data[24:26] = int(reply.esta, 16).to_bytes(2, "little")
    data[26:44] = reply.short_name.encode("latin-1")[:17].ljust(18, b"\x00")
    data[44:108] = reply.long_name.encode("latin-1")[:63].ljust(64, b"\x00")
    data[108:172] = reply.report.encode("latin-1")[:63].ljust(64, b"\x00")
    data[172:174] = len(reply.universes).to_bytes(2, "big")
    for n, universe in enumerate(reply.universes[:4]):
        data[174 + n], data[190 + n] = 0x80, universe & 0x0F
    data[200] = next((number for number, name in STYLES.items() if name == reply.style), 0)
    data[201:207] = bytes.fromhex(reply.mac.replace(":", ""))
    data[207:211] = data[10:14]
    data[211] = reply.bind_index
    if reply.rdm_uid:
        data[218:224] = bytes.fromhex(reply.rdm_uid.replace(":", ""))
    return bytes(data)
