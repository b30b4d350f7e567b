"""TCP from a line's own address. The only place where errors of sockets are seen."""

from __future__ import annotations

import asyncio
import errno
import functools
import socket
import ssl

import h11
import httpx

from netloom_core.errors import LinkError, NoAnswer, ProtocolError

CONNECT_TIMEOUT_S = 1.5
MAX_HEADERS = 16_384
RECEIVE_BYTES = 16_384
MAX_BODY = 2_000_000  # bytes of a reply; a device that talks on is cut off


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


async def ask_http(sock: socket.socket, host: str, method: str, path: str, most: int) -> tuple[int, bytes]:
    """One HTTP/1.1 exchange on a connected socket: status and body, at most `most` bytes of it.

    The caller bounds the time. Raises ProtocolError for what is no HTTP, NoAnswer when it hangs up.
    """
    loop = asyncio.get_running_loop()
    talk = h11.Connection(h11.CLIENT, max_incomplete_event_size=MAX_HEADERS)
    try:
        request = h11.Request(method=method, target=path, headers=[("host", host), ("connection", "close")])
        await loop.sock_sendall(sock, talk.send(request) + talk.send(h11.EndOfMessage()))
        status, body = 0, b""
        while True:
            event = talk.next_event()
            if event is h11.NEED_DATA:
                talk.receive_data(await loop.sock_recv(sock, RECEIVE_BYTES))
            elif isinstance(event, h11.Response):
                status = event.status_code
            elif isinstance(event, h11.Data):
                body += event.data
                if len(body) > most:
                    raise ProtocolError(f"{host} sent more than {most} bytes.")
            else:
                return status, body
    except h11.RemoteProtocolError as error:
        raise ProtocolError(f"{host} does not speak HTTP as it should.", "Is it the right device?") from error
    except OSError as error:
        raise NoAnswer(f"{host} hung up.", "Is it still starting?") from error


@functools.cache
def _tls() -> ssl.SSLContext:
    """One context for all clients. Devices are spoken to in plain HTTP; without roots loaded
    (which takes longer than a whole read) anything else is refused, not trusted."""
    return ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)


def client(source: str, base_url: str, timeout: float = 4.0) -> httpx.AsyncClient:
    """HTTP client that sends from the line's own address and follows no proxies or redirects."""
    return httpx.AsyncClient(
        base_url=base_url,
        timeout=httpx.Timeout(timeout, connect=CONNECT_TIMEOUT_S),
        transport=httpx.AsyncHTTPTransport(local_address=source or None, retries=0, verify=_tls()),
        trust_env=False,
        follow_redirects=False,
    )


def mapped_http(error: httpx.HTTPError, address: str) -> NoAnswer | ProtocolError:
    """The most specific of our errors for one of the HTTP library's."""
    if isinstance(error, httpx.ConnectError):
        return NoAnswer(
            f"{address} does not take the connection.",
            "Look at its power and cable; if it was just restarted, wait and try again.",
            outcome="not_sent",
        )
    if isinstance(error, httpx.ConnectTimeout | httpx.PoolTimeout):
        return NoAnswer(f"{address} does not answer.", "Look at its power, cable and switch port.", outcome="not_sent")
    cut_off = isinstance(error, httpx.RemoteProtocolError) and "disconnected" in str(error)
    if cut_off or isinstance(error, httpx.TimeoutException | httpx.NetworkError):
        return NoAnswer(f"{address} fell silent in the middle.", "Read it again before anything else is written.")
    return ProtocolError(
        f"{address} does not speak HTTP as it should: {type(error).__name__}.", "Is it the right device?"
    )
