"""The server process: one event loop for the web application and the engine.

python -m netloom_server.main --data DIR [--host H] [--port N] [--demo SITE]
"""

from __future__ import annotations

import argparse
import asyncio
import json
import os
import secrets
import socket
import sys
from pathlib import Path
from typing import Any

EXIT_REFUSED = 5


def main() -> int:
    parser = argparse.ArgumentParser(description="Runs the Netloom server.")
    parser.add_argument("--data", type=Path, required=True)
    parser.add_argument("--host", default="127.0.0.1")
    parser.add_argument("--port", type=int, default=8440)
    parser.add_argument("--demo", type=Path, help="seed the records from this site file")
    arguments = parser.parse_args()
    data: Path = arguments.data.resolve()
    data.mkdir(parents=True, exist_ok=True, mode=0o700)
    os.environ["NETLOOM_DATA"] = str(data)
    if arguments.host not in ("127.0.0.1", "localhost"):
        os.environ["NETLOOM_HOSTS"] = "*"

    from netloom_server.base.lock import DataInUse, FolderLock

    lock = FolderLock(data)
    try:
        lock.take()
    except DataInUse as error:
        print(
            f"Refused: another Netloom server (process {error}) has the data folder {data}. "
            "Use that one, or stop it, or name another folder with --data.",
            file=sys.stderr,
        )
        return EXIT_REFUSED
    try:
        listener = socket.create_server((arguments.host, arguments.port))
    except OSError as error:
        print(
            f"Refused: port {arguments.port} on {arguments.host} cannot be used ({error.strerror}). "
            "Choose another with --port.",
            file=sys.stderr,
        )
        return EXIT_REFUSED
    try:
        asyncio.run(serve(arguments, data, listener))
    finally:
        lock.release()
    return 0


async def serve(arguments: argparse.Namespace, data: Path, listener: socket.socket) -> None:
    import uvicorn

    from netloom_server.config.asgi import application

    token = secrets.token_urlsafe(32)
    link = await asyncio.to_thread(_prepare, arguments, data, token)
    from netloom_server.host.engine import engine

    await engine().start()
    port = listener.getsockname()[1]
    url = f"http://{arguments.host}:{port}"
    found = data / "server.json"
    _write_private(found, {"url": f"http://127.0.0.1:{port}", "token": token, "pid": os.getpid()})
    config = uvicorn.Config(
        application,
        log_level="warning",
        lifespan="off",
        timeout_graceful_shutdown=3,
        access_log=False,
        limit_concurrency=400,
    )
    server = uvicorn.Server(config)
    print(f"Netloom is at {url}\nSign in once with: {url}/signin/{link}", flush=True)
    try:
        await server.serve(sockets=[listener])
    finally:
        found.unlink(missing_ok=True)
        await engine().stop()


def _prepare(arguments: argparse.Namespace, data: Path, token: str) -> str:
    from django.conf import settings
    from django.core.management import call_command

    from netloom_server.accounts.authentication import owner
    from netloom_server.accounts.models import SignInLink
    from netloom_server.host.engine import engine

    settings.OWNER_TOKEN = token
    settings.LOOPBACK_ONLY = bool(arguments.demo)
    call_command("migrate", verbosity=0, interactive=False)
    if arguments.demo:
        from netloom_server.demo import seed

        seed(arguments.demo, data / "standins", engine().library)
    return SignInLink.make(owner())


def _write_private(path: Path, content: dict[str, Any]) -> None:
    part = path.with_suffix(".part")
    part.unlink(missing_ok=True)
    with os.fdopen(os.open(part, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "w") as out:
        json.dump(content, out)
    part.replace(path)


if __name__ == "__main__":
    sys.exit(main())
