"""A shell of an SSH server as a stream of bytes. Loaded with the first one: its library takes half a second."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from typing import Any

import asyncssh

from netloom_core.errors import NoAnswer, NobodyThere, WrongCredentials, WrongDevice
from netloom_core.links.stream import CONNECT_S, READ_BYTES

COLUMNS, ROWS = 100, 30


class SshStream:
    """A shell of an SSH server."""

    def __init__(self, connection: Any, process: asyncssh.SSHClientProcess[bytes], host: str) -> None:
        self._connection = connection
        self._process = process
        self._host = host
        self._over = False

    @property
    def ended(self) -> bool:
        return self._over or self._process.stdout.at_eof()

    async def read(self, seconds: float) -> bytes:
        try:
            async with asyncio.timeout(seconds):
                data = await self._process.stdout.read(READ_BYTES)
        except TimeoutError:
            return b""
        except (asyncssh.Error, OSError) as error:
            raise self._ended() from error
        if not data and self._process.stdout.at_eof():
            raise self._ended()
        return data

    async def write(self, data: bytes) -> None:
        try:
            self._process.stdin.write(data)
        except OSError as error:
            raise self._ended() from error

    async def send_break(self) -> None:
        self._process.send_break(500)

    def _ended(self) -> NoAnswer:
        self._over = True
        return NoAnswer(f"{self._host} has ended the SSH session.", "Open it again.", outcome="unknown")

    def close(self) -> None:
        self._over = True
        self._process.close()
        self._connection.abort()


class _Keys(asyncssh.SSHClient):
    """Trust on first use: the key seen first is kept, another one later is refused."""

    def __init__(self, expected: str, seen: Callable[[str], None]) -> None:
        self._expected, self._seen = expected, seen
        self.changed = ""

    def validate_host_public_key(self, host: str, addr: str, port: int, key: asyncssh.SSHKey) -> bool:
        fingerprint = key.get_fingerprint()
        if self._expected and fingerprint != self._expected:
            self.changed = fingerprint
            return False
        self._seen(fingerprint)
        return True


async def open_ssh(
    source: str, host: str, port: int, user: str, password: str, expected_key: str, seen: Callable[[str], None]
) -> SshStream:
    """`expected_key` is the host key's fingerprint of the last time; `seen` is told the one of now.

    Raises WrongDevice when the key is another one, WrongCredentials, NoAnswer.
    """
    keys = _Keys(expected_key, seen)
    try:
        async with asyncio.timeout(CONNECT_S * 2):
            connection = await asyncssh.connect(
                host,
                port,
                local_addr=(source, 0) if source else None,
                username=user,
                password=password,
                client_factory=lambda: keys,
                known_hosts=([], [], []),
                client_keys=None,
                agent_path=None,
                config=[],
            )
    except asyncssh.HostKeyNotVerifiable as error:
        raise WrongDevice(
            f"{host} shows another SSH host key than before ({keys.changed or 'unknown'}).",
            "Is it another device, or was it reset? If you know why, forget the old key and open again.",
        ) from error
    except asyncssh.PermissionDenied as error:
        raise WrongCredentials(f"{host} does not take that user and password.", "Type others.") from error
    except (asyncssh.Error, OSError, TimeoutError) as error:
        raise NobodyThere(
            f"{host} does not answer as an SSH server on port {port}.",
            "Look at its power, and whether SSH is on.",
            refused=isinstance(error, ConnectionRefusedError),
            outcome="not_sent",
        ) from error
    try:
        async with asyncio.timeout(CONNECT_S):
            process = await connection.create_process(
                term_type="xterm", term_size=(COLUMNS, ROWS), encoding=None, stderr=asyncssh.STDOUT
            )
    except (asyncssh.Error, OSError, TimeoutError) as error:
        connection.abort()
        raise NoAnswer(
            f"{host} lets you sign in over SSH but gives no terminal.", "Is SSH there only for files or commands?"
        ) from error
    except BaseException:
        connection.abort()
        raise
    return SshStream(connection, process, host)
