"""TCP from a line's own address. The only place where errors of sockets are seen."""

from __future__ import annotations

import asyncio
import errno
import os
import socket

from netloom_core.errors import Crowded, LinkError, NoAnswer
from netloom_core.links.talk import writable

CONNECT_TIMEOUT_S = 1.5
FULL = (errno.EAGAIN, errno.ENOBUFS, errno.EMFILE, errno.ENFILE, errno.ENOMEM, errno.EADDRINUSE)
CUT = (errno.ECONNRESET, errno.EPIPE, errno.ECONNABORTED, errno.ETIMEDOUT, errno.ENOTCONN)  # by the far end


def mapped(error: OSError, address: str) -> NoAnswer | LinkError:
    if error.errno in FULL:
        return Crowded(
            f"This computer opens no more connections just now: {os.strerror(error.errno)}.", "Try again in a moment."
        )
    if error.errno == errno.ECONNREFUSED:
        return NoAnswer(
            f"{address} refuses the connection.",
            "Its service is not running; is it still starting?",
            outcome="not_sent",
        )
    if error.errno in (errno.EHOSTUNREACH, errno.ENETUNREACH, errno.EHOSTDOWN):
        return NoAnswer(
            f"{address} cannot be reached.", "Look at its power, cable and switch port.", outcome="not_sent"
        )
    if error.errno in CUT:
        return NoAnswer(f"{address} cut the connection.", "Did it start anew? Look at its power and cable.")
    if error.errno == errno.EADDRNOTAVAIL:
        return LinkError("This computer has no address on that line.", "Give its network interface an address there.")
    return LinkError(f"{address}: {error.strerror or error}.", "Look at this computer's network.")


async def connect(source: str, address: str, port: int, timeout: float) -> socket.socket | str:
    """The connected socket, or `refused` or `silent`; raises LinkError when the fault is on our side.

    Bare sockets, since a sweep opens thousands: streams cost more than the connection itself. Only the
    waiting has an end in time: when this computer is late, who took the connection meanwhile counts.
    """
    try:
        sock = socket.socket(socket.AF_INET, socket.SOCK_STREAM, socket.IPPROTO_TCP)
    except OSError as error:
        raise mapped(error, address) from error
    sock.setblocking(False)
    try:
        if source:
            sock.bind((source, 0))
        async with asyncio.timeout(timeout):
            place = await _resolved(address, port)
        state = sock.connect_ex(place)
        if state == errno.EADDRNOTAVAIL:
            state = errno.EADDRINUSE  # bound already: what is not to be had is a free port for this target
        if state == errno.EINPROGRESS:
            await writable(sock, timeout)
            state = sock.getsockopt(socket.SOL_SOCKET, socket.SO_ERROR)
        if state:
            raise OSError(state, os.strerror(state))
    except TimeoutError:
        sock.close()
        return "silent"
    except OSError as error:
        sock.close()
        fault = mapped(error, address)
        if isinstance(fault, LinkError):
            raise fault from error
        return "refused" if error.errno == errno.ECONNREFUSED else "silent"
    except BaseException:
        sock.close()
        raise
    if not _connected(sock):
        sock.close()
        return "silent"
    return sock


def _connected(sock: socket.socket) -> bool:
    try:
        sock.getpeername()
    except OSError:
        return False
    return True


async def _resolved(address: str, port: int) -> tuple[str, int]:
    """Numbers as they are; only a name is looked up, which may take its time. Raises OSError."""
    try:
        socket.inet_pton(socket.AF_INET, address)
    except OSError:
        found = await asyncio.get_running_loop().getaddrinfo(address, port, family=socket.AF_INET)
        return str(found[0][4][0]), port
    return address, port


async def probe_port(source: str, address: str, port: int, timeout: float) -> str:
    """`open`, `refused` or `silent`; raises LinkError when the fault is on our side."""
    answer = await connect(source, address, port, timeout)
    if isinstance(answer, str):
        return answer
    answer.close()
    return "open"
