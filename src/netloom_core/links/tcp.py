"""TCP from a line's own address. The only place where errors of sockets are seen."""

from __future__ import annotations

import asyncio
import errno
import socket

from netloom_core.errors import LinkError, NoAnswer

CONNECT_TIMEOUT_S = 1.5


def mapped(error: OSError, address: str) -> NoAnswer | LinkError:
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
    if error.errno == errno.EADDRNOTAVAIL:
        return LinkError("This computer has no address on that line.", "Give its network interface an address there.")
    return LinkError(f"{address}: {error.strerror or error}.", "Look at this computer's network.")


async def connect(source: str, address: str, port: int, timeout: float) -> socket.socket | str:
    """The connected socket, or `refused` or `silent`; raises LinkError when the fault is on our side.

    Bare sockets, since a sweep opens thousands: streams cost more than the connection itself.
    """
    loop = asyncio.get_running_loop()
    sock = socket.socket(socket.AF_INET, socket.SOCK_STREAM)
    sock.setblocking(False)
    try:
        if source:
            sock.bind((source, 0))
        async with asyncio.timeout(timeout):
            await loop.sock_connect(sock, (address, port))
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
    return sock


async def probe_port(source: str, address: str, port: int, timeout: float) -> str:
    """`open`, `refused` or `silent`; raises LinkError when the fault is on our side."""
    answer = await connect(source, address, port, timeout)
    if isinstance(answer, str):
        return answer
    answer.close()
    return "open"
