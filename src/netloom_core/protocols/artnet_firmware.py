"""Firmware over Art-Net: ArtFirmwareMaster, ArtFirmwareReply, and the header of such files. Bytes in, values out.

Source: Art-Net 4 Protocol Release, "Firmware upload" and the tables of those names. A file is sent in blocks of 512
words, each acknowledged; an answer does not say which block it is of, so none is ever said twice.
"""

from __future__ import annotations

from typing import NamedTuple

from netloom_core.errors import ProtocolError
from netloom_core.protocols.artnet import ID, PROTOCOL, opcode
from netloom_core.protocols.xml import clean

OP_MASTER, OP_REPLY = 0xF200, 0xF300
FIRST, CONTINUED, LAST = 0x00, 0x01, 0x02
BLOCK_GOOD, ALL_GOOD, FAILED = 0x00, 0x01, 0xFF
BLOCK = 1024  # bytes: 512 words, high byte first
ANSWER_S = 30.0  # after which an upload has failed
HEADER = 1060  # bytes: checksum, version, name, 256 OEM codes, spare, length
MOST_WORDS = 0xFFFF_FFFF
_NAME, _CODES, _SPARE, _LENGTH = 4, 34, 546, 1056


class Header(NamedTuple):
    """`codes` are the OEM codes of nodes that it may be loaded into, as four hexadecimal digits."""

    checksum: int
    version: str
    name: str
    codes: tuple[str, ...]
    words: int


def header(head: bytes) -> Header:
    """What the first bytes of a file say. Raises ProtocolError where it is none of Art-Net's."""
    if len(head) < HEADER or any(head[_SPARE:_LENGTH]):
        raise ProtocolError("not a firmware file of Art-Net")
    name = head[_NAME:_CODES].split(b"\x00")[0]
    words = [int.from_bytes(head[at : at + 2], "big") for at in range(_CODES, _SPARE, 2)]
    codes = words[: words.index(0)] if 0 in words else words
    length = int.from_bytes(head[_LENGTH:HEADER], "big")
    if not codes or any(words[len(codes) :]) or not length or not all(32 <= letter < 127 for letter in name):
        raise ProtocolError("not a firmware file of Art-Net")
    return Header(
        int.from_bytes(head[:2], "big"), f"{head[2]}.{head[3]}", clean(name.decode("ascii"), 30),
        tuple(f"{code:04X}" for code in codes), length,
    )  # fmt: skip


def block(kind: int, number: int, words: int, data: bytes) -> bytes:
    """ArtFirmwareMaster: `number` counts from 0 and goes round at 256, `words` is the size of the whole file. Raises
    ProtocolError where that does not fit."""
    if len(data) > BLOCK or not 0 < words <= MOST_WORDS:
        raise ProtocolError(f"A file of {words} words does not fit Art-Net.", outcome="not_sent")
    head = ID + OP_MASTER.to_bytes(2, "little") + bytes((0, PROTOCOL, 0, 0, kind, number & 0xFF))
    return head + words.to_bytes(4, "big") + bytes(20) + data.ljust(BLOCK, b"\x00")


def parse_reply(data: bytes) -> int:
    """The answer's type. Raises ProtocolError where it is no ArtFirmwareReply."""
    if len(data) < 15 or opcode(data) != OP_REPLY:
        raise ProtocolError("not an ArtFirmwareReply")
    return data[14]
