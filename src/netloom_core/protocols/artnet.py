"""Art-Net 4: ArtPoll and ArtPollReply.

Source: Art-Net 4 Protocol Release, tables ArtPoll and ArtPollReply. All offsets are from
the start of the packet; multi-byte values are as each field's table says.
"""

from __future__ import annotations

import ipaddress
from dataclasses import dataclass

from netloom_core.errors import ProtocolError
from netloom_core.protocols.xml import clean

PORT = 6454
ID = b"Art-Net\x00"
OP_POLL, OP_POLL_REPLY = 0x2000, 0x2100
PROTOCOL = 14
MIN_REPLY = 207  # up to and with the MAC; what follows came with later revisions
STYLES = {0: "node", 1: "controller", 2: "media server", 3: "router", 4: "backup", 5: "configuration", 6: "visualiser"}


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
    )


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
