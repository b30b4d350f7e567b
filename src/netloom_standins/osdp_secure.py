"""A unit's side of OSDP's secure channel (IEC 60839-11-5, annex D), read from the standard by itself.

One key for each unit; SCBK-D only while it is set so. Whatever does not fit ends the channel.
"""

from __future__ import annotations

import os

from cryptography.hazmat.primitives.ciphers import Cipher, algorithms, modes

SCBK_D = b"0123456789:;<=>?"


def aes(key: bytes, data: bytes) -> bytes:
    work = Cipher(algorithms.AES(key), modes.ECB()).encryptor()  # noqa: S305
    return work.update(data)


def xor(a: bytes, b: bytes) -> bytes:
    return bytes(x ^ y for x, y in zip(a, b, strict=True))


class Broken(Exception):
    """The channel is over."""


class UnitChannel:
    def __init__(self, key: bytes, uid: bytes) -> None:
        self.key, self.uid = key, uid
        self.up = False
        self.rnd_b = b""
        self.server = b""

    def challenge(self, rnd_a: bytes) -> bytes:
        self.up = False
        self.enc, self.m1, self.m2 = (
            aes(self.key, bytes((1, kind)) + rnd_a[:6] + bytes(8)) for kind in (0x82, 0x01, 0x02)
        )
        self.rnd_a, self.rnd_b = rnd_a, os.urandom(8)
        return self.uid + self.rnd_b + aes(self.enc, self.rnd_a + self.rnd_b)

    def agreed(self, cryptogram: bytes) -> bytes:
        """The first R-MAC. Raises Broken."""
        if not self.rnd_b or cryptogram != aes(self.enc, self.rnd_b + self.rnd_a):
            raise Broken
        self.mac_out = aes(self.m2, aes(self.m1, cryptogram))
        self.up = True
        return self.mac_out

    def _mac(self, before: bytes, message: bytes) -> bytes:
        blocks = [message[at : at + 16] for at in range(0, len(message), 16)]
        if len(blocks[-1]) < 16:
            blocks[-1] = (blocks[-1] + b"\x80").ljust(16, b"\0")
        for block in blocks[:-1]:
            before = aes(self.m1, xor(before, block))
        return aes(self.m2, xor(before, blocks[-1]))

    def taken(self, signed: bytes, mac: bytes, data: bytes, hidden: bool) -> bytes:
        """The plain data of a command. Raises Broken."""
        made = self._mac(self.mac_out, signed)
        if made[:4] != mac:
            raise Broken
        self.mac_in = made
        if not hidden:
            return data
        before = bytes(byte ^ 255 for byte in self.mac_out)
        plain = b""
        work = Cipher(algorithms.AES(self.enc), modes.ECB()).decryptor()  # noqa: S305
        for at in range(0, len(data), 16):
            block = data[at : at + 16]
            plain += xor(before, work.update(block))
            before = block
        return plain.rstrip(b"\0")[:-1]

    def hidden(self, data: bytes) -> bytes:
        filled = data + b"\x80"
        filled = filled.ljust(-(-len(filled) // 16) * 16, b"\0")
        before = bytes(byte ^ 255 for byte in self.mac_in)
        out = b""
        for at in range(0, len(filled), 16):
            before = aes(self.enc, xor(before, filled[at : at + 16]))
            out += before
        return out

    def sealed(self, message: bytes) -> bytes:
        self.mac_out = self._mac(self.mac_in, message)
        return self.mac_out[:4]
