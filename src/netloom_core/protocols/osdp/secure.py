"""The secure channel: keys of a session, the handshake's cryptograms, the chain of MACs (annex D). Sans-io.

    S-ENC, S-MAC1, S-MAC2   AES-128 of the base key over 01 82, 01 01, 01 02 and six bytes of RND.A
    CHLNG   RND.A                          ->    cUID, RND.B, cryptogram = S-ENC(RND.A RND.B)   CCRYPT
    SCRYPT  cryptogram = S-ENC(RND.B RND.A) ->   R-MAC-I = S-MAC2(S-MAC1(cryptogram))           RMAC-I

After that each message bears the first four bytes of a MAC that is chained to the last one of the other side, and
data are encrypted with its complement as the initial vector. Whoever repeats a message repeats its very bytes.
"""

from __future__ import annotations

import hmac
from dataclasses import dataclass

from cryptography.hazmat.primitives.ciphers import Cipher, algorithms, modes

from netloom_core.errors import ProtocolError, WrongCredentials

DEFAULT_KEY = bytes(range(0x30, 0x40))  # SCBK-D: for setting up, where that is allowed
KEY_BYTES, BLOCK, MAC_BYTES = 16, 16, 4
SCS_11, SCS_12, SCS_13, SCS_14, SCS_15, SCS_16, SCS_17, SCS_18 = range(0x11, 0x19)


def _ecb(key: bytes, block: bytes) -> bytes:
    made = Cipher(algorithms.AES(key), modes.ECB()).encryptor()  # noqa: S305 - single blocks, as the standard has it
    return made.update(block) + made.finalize()


def _cbc(key: bytes, start: bytes, data: bytes, *, decrypt: bool = False) -> bytes:
    cipher = Cipher(algorithms.AES(key), modes.CBC(start))
    made = cipher.decryptor() if decrypt else cipher.encryptor()
    return made.update(data) + made.finalize()


def _complement(block: bytes) -> bytes:
    return bytes(byte ^ 0xFF for byte in block)


@dataclass(frozen=True)
class Keys:
    """Of one session."""

    enc: bytes
    mac1: bytes
    mac2: bytes

    @classmethod
    def derived(cls, base: bytes, rnd_a: bytes) -> Keys:
        def key(*head: int) -> bytes:
            return _ecb(base, bytes(head) + rnd_a[:6] + bytes(8))

        return cls(key(1, 0x82), key(1, 1), key(1, 2))

    def mac(self, start: bytes, message: bytes) -> bytes:
        """16 bytes, chained from `start`; the last block goes by the second key, the others by the first."""
        if len(message) % BLOCK:
            message += b"\x80" + bytes(-(len(message) + 1) % BLOCK)
        last = message[-BLOCK:]
        if len(message) > BLOCK:
            start = _cbc(self.mac1, start, message[:-BLOCK])[-BLOCK:]
        return _cbc(self.mac2, start, last)


def padded(data: bytes) -> bytes:
    return data + b"\x80" + bytes(-(len(data) + 1) % BLOCK)


def unpadded(data: bytes) -> bytes:
    """Raises ProtocolError where the padding is none."""
    bare = data.rstrip(b"\x00")
    if not bare or bare[-1] != 0x80 or len(data) - len(bare) >= BLOCK:
        raise ProtocolError("The encrypted data end in no padding.")
    return bare[:-1]


class Channel:
    """The control panel's side. `usual` is whether the base key is the default one."""

    def __init__(self, base: bytes, rnd_a: bytes) -> None:
        self._base, self._rnd_a = base, rnd_a
        self._keys = Keys.derived(base, rnd_a)
        self._cryptogram = b""
        self._r_mac = bytes(BLOCK)  # the last of the unit's
        self._c_mac = bytes(BLOCK)  # the last of ours
        self._pending = bytes(BLOCK)
        self.uid = b""
        self.open = False

    @property
    def mark(self) -> int:
        """What the security block says of the key: 0 for the default one."""
        return 0 if self._base == DEFAULT_KEY else 1

    @property
    def challenged(self) -> bool:
        """Whether the unit has answered the challenge, and with this key."""
        return bool(self._cryptogram)

    def challenge(self) -> bytes:
        return self._rnd_a

    def answered(self, data: bytes) -> bytes:
        """CCRYPT's data; gives those of SCRYPT. Raises WrongCredentials where the unit has another key."""
        if len(data) != 32:
            raise ProtocolError(f"An answer to a challenge has 32 bytes, this one {len(data)}.")
        self.uid, rnd_b, cryptogram = data[:8], data[8:16], data[16:]
        if not hmac.compare_digest(cryptogram, self._encrypted(self._rnd_a + rnd_b)):
            raise WrongCredentials("The unit has another key for its secure channel.", "Enter the right one.")
        self._cryptogram = self._encrypted(rnd_b + self._rnd_a)
        return self._cryptogram

    def _encrypted(self, data: bytes) -> bytes:
        return _ecb(self._keys.enc, data)

    def confirmed(self, data: bytes, status: int) -> None:
        """RMAC-I's data; the channel is open after that. Raises WrongCredentials where the unit did not agree."""
        expected = _ecb(self._keys.mac2, _ecb(self._keys.mac1, self._cryptogram))
        if status != 1 or not self._cryptogram or not hmac.compare_digest(data, expected):
            raise WrongCredentials("The unit did not agree to the secure channel.", "Enter the right key.")
        self._r_mac = data
        self.open = True

    # Messages

    def block(self, data: bytes) -> int:
        """The security block's type of a command with such data."""
        return SCS_17 if data else SCS_15

    def hidden(self, data: bytes) -> bytes:
        """Data as they go out."""
        return _cbc(self._keys.enc, _complement(self._r_mac), padded(data)) if data else b""

    def sealed(self, message: bytes) -> bytes:
        """The four bytes that go behind a command. It may be asked again for a repeat of the same one."""
        self._pending = self._keys.mac(self._r_mac, message)
        return self._pending[:MAC_BYTES]

    def opened(self, kind: int, message: bytes, data: bytes, mac: bytes) -> bytes:
        """The plain data of a reply. Raises ProtocolError where its MAC is not what it has to be."""
        made = self._keys.mac(self._pending, message)
        if not hmac.compare_digest(made[:MAC_BYTES], mac):
            raise ProtocolError("A reply on the secure channel has a wrong MAC.", "Somebody else may be on the bus.")
        self._c_mac, self._r_mac = self._pending, made
        if kind != SCS_18 or not data:
            return data
        if len(data) % BLOCK:
            raise ProtocolError("Encrypted data of a wrong length.")
        return unpadded(_cbc(self._keys.enc, _complement(self._c_mac), data, decrypt=True))
