"""TLS on a connected socket, for devices whose certificates nobody signed: known again by their fingerprint.

What a device shows at first sight is taken; from then on another certificate is another device, until a person says
that it is well. That it is the right device at all is told by who it says it is, as on any connection.
"""

from __future__ import annotations

import asyncio
import hashlib
import socket
import ssl
from collections.abc import Callable

from netloom_core.errors import ProtocolError, WrongDevice
from netloom_core.links.talk import readable, writable

PORT = 443
TLS_PIN = "tls_pin"  # the fact of an identity that says which certificate was shown


def context() -> ssl.SSLContext:
    """TLS 1.2 and newer; nobody's signature is asked for."""
    made = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
    made.check_hostname, made.verify_mode = False, ssl.CERT_NONE
    made.minimum_version = ssl.TLSVersion.TLSv1_2
    return made


class TlsSocket:
    """What a link needs of a socket that does not block, with the errors of a bare one."""

    def __init__(self, sock: socket.socket) -> None:
        self._tls = context().wrap_socket(sock, do_handshake_on_connect=False, suppress_ragged_eofs=True)
        self._peeked = b""
        self.fingerprint = ""  # SHA-256 of the certificate, in small hexadecimal letters

    async def shake_hands(self, host: str, pin: str, seconds: float) -> None:
        """Raises ProtocolError where it speaks no TLS of today, WrongDevice for another certificate than `pin`."""
        until = asyncio.get_running_loop().time() + seconds
        try:
            await self._finished(self._tls.do_handshake, until)
        except TimeoutError:
            raise ProtocolError(f"{host} does not finish the handshake of TLS.", outcome="not_sent") from None
        except OSError as error:  # SSLError is one
            why = getattr(error, "reason", None) or error.strerror or error
            raise ProtocolError(
                f"{host} speaks no TLS 1.2 or newer: {str(why).replace('_', ' ').lower()}.",
                "Look whether its port is right, and at its own settings.",
                outcome="not_sent",
            ) from error
        self.fingerprint = hashlib.sha256(self._tls.getpeercert(binary_form=True) or b"").hexdigest()
        if pin and self.fingerprint != pin:
            raise WrongDevice(
                f"{host} shows another certificate than before: SHA-256 {self.fingerprint[:16]}…, not {pin[:16]}…. "
                "Nothing was told to it.",
                "If it made a new one, forget the known one under Address, Access; else somebody else is there.",
            )

    async def _finished(self, work: Callable[[], object], until: float) -> None:
        loop = asyncio.get_running_loop()
        while True:
            try:
                work()
                return
            except ssl.SSLWantReadError:
                wait = readable
            except ssl.SSLWantWriteError:
                wait = writable
            left = until - loop.time()
            if left <= 0:
                raise TimeoutError
            await wait(self._tls, left)

    def fileno(self) -> int:
        return self._tls.fileno()

    def recv(self, most: int, flags: int = 0) -> bytes:
        """As that of a bare socket: BlockingIOError where nothing is there yet, and empty at the end."""
        if not self._peeked:
            try:
                self._peeked = self._tls.recv(most)
            except (ssl.SSLWantReadError, ssl.SSLWantWriteError):
                raise BlockingIOError from None
            except ssl.SSLZeroReturnError:
                return b""
        data = self._peeked
        if not flags & socket.MSG_PEEK:
            self._peeked = b""
        return data

    async def sendall(self, data: bytes, seconds: float) -> None:
        """Raises TimeoutError, OSError."""
        until = asyncio.get_running_loop().time() + seconds
        rest = [data]  # what is left of it

        def send() -> None:
            while rest[0]:
                rest[0] = rest[0][self._tls.send(rest[0]) :]

        await self._finished(send, until)

    def close(self) -> None:
        self._tls.close()
