"""The server process: one event loop for the web application and the engine.

python -m netloom_server.main --data DIR [--host H] [--port N] [--name HOST] [--demo SITE]
"""

from __future__ import annotations

import argparse
import asyncio
import contextlib
import ctypes
import gc
import ipaddress
import json
import logging
import os
import secrets
import signal
import socket
import sqlite3
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from netloom_server.base.lock import DataInUse, FolderLock
from netloom_server.base.logs import keep_log
from netloom_server.care import copies, folder, tls

EXIT_FAILED, EXIT_REFUSED = 1, 5
SELDOM = 20_000, 10, 10  # objects made between two looks for garbage, and looks between thorough ones
M_ARENA_MAX = -8  # glibc, malloc.h
LOOPBACK = ("127.0.0.1", "localhost", "::1")
log = logging.getLogger("netloom.server")


def main() -> int:
    arguments = _words()
    _few_arenas()
    data: Path = arguments.data.resolve()
    os.umask(0o077)
    try:
        data.mkdir(parents=True, exist_ok=True, mode=0o700)
        lock = FolderLock(data)
        lock.take()
    except DataInUse as error:
        return refused(
            f"another Netloom server (process {error}) has the data folder {data}.",
            "Use that one, or stop it, or name another folder with --data.",
        )
    except OSError as error:
        hint = "Make it writable for this user, make room on its disk, or name another one with --data."
        return refused(f"the data folder {data} cannot be used: {error.strerror}.", hint)
    try:
        return _on(data, arguments)
    finally:
        lock.release()


def _few_arenas() -> None:
    """Each thread would keep memory of its own that no other may use; here that was 13 MB of 240."""
    with contextlib.suppress(OSError, AttributeError):  # another C library than glibc does without
        ctypes.CDLL(None).mallopt(M_ARENA_MAX, 2)


def _words() -> argparse.Namespace:
    parser = argparse.ArgumentParser(description="Runs the Netloom server.")
    parser.add_argument("--data", type=Path, required=True)
    parser.add_argument("--host", default="127.0.0.1", help="address to listen at; 127.0.0.1 unless told otherwise")
    parser.add_argument("--port", type=int, default=8440)
    parser.add_argument(
        "--name", action="append", default=[], help="a name by which browsers reach it; may be repeated"
    )
    parser.add_argument("--certificate", type=Path, help="PEM file with the certificate, and those above it")
    parser.add_argument("--key", type=Path, help="PEM file with the certificate's key")
    parser.add_argument("--no-tls", action="store_true", help="plain HTTP though it is not only for this computer")
    parser.add_argument("--proxy", action="append", default=[], help="address of a reverse proxy that may be believed")
    parser.add_argument("--demo", type=Path, help="seed the records from this site file")
    return parser.parse_args()


def refused(message: str, hint: str, status: int = EXIT_REFUSED) -> int:
    print(f"Refused: {message}\n  Try: {hint}", file=sys.stderr, flush=True)
    return status


def _on(data: Path, arguments: argparse.Namespace) -> int:
    """Run on a folder that is ours alone; every reason why that cannot be is told in words."""
    if lost := copies.is_lost(data):
        return refused(
            f"{data} has no database, but {lost}: its records are gone, and nothing is begun anew over that.",
            "`netloom copies` lists the safe copies, `netloom put-back COPY` makes one the database. To begin anew, "
            "name an empty folder.",
            EXIT_FAILED,
        )
    looked = [*folder.make_private(data), *folder.can_be_written(data), *folder.is_whole(folder.database_of(data))]
    for trouble in looked:
        if trouble.fatal:
            return refused(trouble.message, trouble.hint, EXIT_FAILED)
        print(f"Look: {trouble.message}\n  Try: {trouble.hint}", file=sys.stderr, flush=True)
    try:
        listener = socket.create_server((arguments.host, arguments.port))
        # Handed on to each connection; the event loop does it only for sockets that name their protocol.
        listener.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
    except (OSError, OverflowError) as error:
        text = f"port {arguments.port} on {arguments.host} cannot be used: {getattr(error, 'strerror', None) or error}."
        return refused(text, "Choose another with --port.")
    os.environ["NETLOOM_DATA"] = str(data)
    names = _names(arguments)
    os.environ["NETLOOM_HOSTS"] = ",".join(names)
    try:
        secure = _certificate(data, arguments, names)
    except (OSError, ValueError) as error:
        return refused(f"the certificate cannot be used: {error}", "Look at --certificate and --key.")
    os.environ["NETLOOM_SECURE"] = "1" if secure else ""
    try:
        return asyncio.run(serve(arguments, data, listener, secure))
    except (sqlite3.Error, OSError) as error:
        hint = "Look at the disk and the rights of the folder; `netloom doctor` does, too. What was kept is kept."
        return refused(f"the records could not be used: {error}.", hint, EXIT_FAILED)


def _names(arguments: argparse.Namespace) -> list[str]:
    """The Host headers that are answered: whoever names another one was led here."""
    names = ["127.0.0.1", "localhost", "[::1]", *arguments.name]
    if arguments.host not in LOOPBACK:
        from netloom_core.links.interfaces import all_interfaces

        mine = [one.address for one in all_interfaces()]
        at = ipaddress.ip_address(arguments.host) if _is_address(arguments.host) else None
        names += mine if at is not None and at.is_unspecified else [arguments.host]
        names.append(socket.gethostname())
    return list(dict.fromkeys(names))


def _is_address(text: str) -> bool:
    with contextlib.suppress(ValueError):
        ipaddress.ip_address(text)
        return True
    return False


def _certificate(data: Path, arguments: argparse.Namespace, names: list[str]) -> tuple[Path, Path] | None:
    """The certificate and its key; None where plain HTTP is spoken: to this computer alone, or when told so."""
    if arguments.certificate:
        pair = (arguments.certificate, arguments.key or arguments.certificate)
    elif arguments.host in LOOPBACK or arguments.no_tls:
        return None
    else:
        pair = tls.own_certificate(data / "keys", [name for name in names if name != "[::1]"])
    print(f"Certificate's SHA-256 fingerprint: {tls.fingerprint(pair[0])}", flush=True)
    return pair


async def serve(
    arguments: argparse.Namespace, data: Path, listener: socket.socket, secure: tuple[Path, Path] | None
) -> int:
    import uvicorn

    from netloom_server.base import crossing
    from netloom_server.config.asgi import application, handler

    class Server(uvicorn.Server):
        """Ends in order when it is told to, and that is a good end: the signal is not raised again afterwards."""

        async def shutdown(self, sockets: list[socket.socket] | None = None) -> None:
            await engine().let_go()
            await super().shutdown(sockets)

        @contextlib.contextmanager
        def capture_signals(self) -> Iterator[None]:
            yield  # they are ours from the beginning, see below

    running: list[Server] = []
    asked_to_end: list[int] = []

    def end(number: int) -> None:
        """Whenever it comes, also while the server begins: that is gone through, and then it ends."""
        asked_to_end.append(number)
        for one in running:
            one.handle_exit(number, None)

    for number in (signal.SIGTERM, signal.SIGINT):
        asyncio.get_running_loop().add_signal_handler(number, end, number)

    from netloom_server.care.upgrade import too_new

    if trouble := await asyncio.to_thread(too_new, data):
        return refused(trouble.message, trouble.hint)
    token = secrets.token_urlsafe(32)
    found = data / "server.json"
    if found.exists():
        print("The last server ended without warning; what it left is settled now.", file=sys.stderr, flush=True)
    link = await asyncio.to_thread(_prepare, arguments, data, token)
    from netloom_server.host.engine import engine

    keep_log(data)
    log.info("the server begins, process %d", os.getpid())
    await engine().start()
    # What is here stays. Looking through all of it for garbage again and again held everybody up.
    gc.collect()
    gc.freeze()
    gc.set_threshold(*SELDOM)
    port = listener.getsockname()[1]
    scheme = "https" if secure else "http"
    reach = arguments.host if arguments.host not in (*LOOPBACK, "0.0.0.0", "::") else "127.0.0.1"  # noqa: S104
    url = f"{scheme}://{reach}:{port}"
    told = {"url": url, "token": token, "pid": os.getpid(), "certificate": str(secure[0]) if secure else ""}
    _write_private(found, told)
    config = uvicorn.Config(
        application,
        log_level="warning",
        lifespan="off",
        timeout_graceful_shutdown=3,
        access_log=False,
        limit_concurrency=400,
        proxy_headers=bool(arguments.proxy),
        forwarded_allow_ips=arguments.proxy or None,
        ssl_certfile=secure[0] if secure else None,
        ssl_keyfile=secure[1] if secure else None,
    )
    print(f"Netloom is at {url}\nSign in once with: {url}/signin/{link}", flush=True)
    running.append(Server(config))
    running[0].should_exit = bool(asked_to_end)
    try:
        await running[0].serve(sockets=[listener])
    finally:
        await engine().stop()
        folder.put_in_order(folder.database_of(data))
        log.info("the server ends in order")
        if handler.stuck or crossing.thread.given_up:  # their threads never end, and the process would wait for them
            logging.shutdown()
            os._exit(0)
        found.unlink(missing_ok=True)
    return 0


def _prepare(arguments: argparse.Namespace, data: Path, token: str) -> str:
    from django.conf import settings

    from netloom_server.accounts.authentication import owner
    from netloom_server.accounts.models import SignInLink
    from netloom_server.care.upgrade import bring_up
    from netloom_server.host.engine import engine
    from netloom_server.runs.models import LIVE, Run
    from netloom_server.runs.services.journal import open_intents

    settings.OWNER_TOKEN = token
    settings.LOOPBACK_ONLY = bool(arguments.demo)
    bring_up(data)
    if arguments.demo:
        from netloom_server.demo import seed

        seed(arguments.demo, data / "standins", engine().library)
    runs, intents = Run.objects.filter(state__in=LIVE).count(), len(open_intents())
    if runs or intents:
        text = f"Runs under way that go on now: {runs}. Writes settled by looking at the devices: {intents}."
        print(text, file=sys.stderr, flush=True)
    return SignInLink.make(owner())


def _write_private(path: Path, content: dict[str, Any]) -> None:
    part = path.with_suffix(".part")
    part.unlink(missing_ok=True)
    with os.fdopen(os.open(part, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "w") as out:
        json.dump(content, out)
    part.replace(path)


if __name__ == "__main__":
    sys.exit(main())
