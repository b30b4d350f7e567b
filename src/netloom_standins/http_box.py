"""A relay and input box with an HTTP/JSON interface on its own loopback address.

Values are taken at once and lost at a power cut unless stored; the network values are
taken at the next start. It announces itself by mDNS.
"""

from __future__ import annotations

import asyncio
import copy
import secrets
import socket
from collections.abc import Awaitable, Callable
from dataclasses import dataclass, field
from typing import Any

import orjson
from uvicorn.config import Config
from uvicorn.server import ServerState

from netloom_core.documents.tree import Document, get, leaves, put
from netloom_core.errors import NetloomError
from netloom_core.profiles.values import checked
from netloom_standins.net_unit import NetUnit

MAX_BODY = 256_000
RESTART_S = 0.3  # before the box goes down after it answered a restart

Send = Callable[[dict[str, Any]], Awaitable[None]]
Receive = Callable[[], Awaitable[dict[str, Any]]]


class Dropped(Exception):
    """The cable is out: nothing more is sent on this connection."""


@dataclass
class HttpBox(NetUnit):
    """`http` off: the box is there, but its service is not; `subordinates` are on the bus that it may lead."""

    password: str = ""
    user: str = ""
    http: bool = True
    subordinates: list[dict[str, Any]] = field(default_factory=list)
    announce: Callable[[HttpBox, bool], Awaitable[None]] | None = None
    sessions: set[str] = field(default_factory=set)
    server: asyncio.Server | None = None
    _streams: set[asyncio.Task[Any]] = field(default_factory=set)
    _state: ServerState = field(default_factory=ServerState)

    # Power

    async def start(self) -> None:
        await super().start()
        if self.http:
            await self._listen()
        if self.announce and self.http:
            self._job(self.announce(self, True))

    async def _listen(self) -> None:
        port = self.profile.of_protocol("http")[0].port
        config = Config(
            self._app, http="h11", ws="none", lifespan="off", interface="asgi3", log_config=None, access_log=False
        )
        config.load()
        self._state = ServerState()
        sock = socket.socket(socket.AF_INET, socket.SOCK_STREAM)
        sock.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        sock.bind((self.address, port))
        protocol: Any = config.http_protocol_class
        self.server = await asyncio.get_running_loop().create_server(
            lambda: protocol(config=config, server_state=self._state, app_state={}), sock=sock, backlog=128
        )

    async def stop(self) -> None:
        """Off: every connection is cut, nothing listens."""
        await super().stop()
        self.sessions.clear()
        for task in list(self._streams):
            task.cancel()
        if self.server is not None:
            self.server.close()
            for connection in list(self._state.connections):
                connection.transport.abort()
            self.server = None
        if self.announce and self.http:
            self._job(self.announce(self, False))

    async def _restart_soon(self) -> None:
        await asyncio.sleep(RESTART_S)
        await self.power_cut()

    # HTTP

    async def _app(self, scope: dict[str, Any], receive: Receive, send: Send) -> None:
        task = asyncio.current_task()
        if task is not None:
            self._streams.add(task)
            task.add_done_callback(self._streams.discard)
        try:
            while self.faults.silent:  # noqa: ASYNC110 - a fault is cleared from anywhere
                await asyncio.sleep(0.05)
            await self._route(scope, receive, send)
        except Dropped:
            await self._drop_all()
        except asyncio.CancelledError:
            return  # the power is off: there is nobody left to answer

    async def _drop_all(self) -> None:
        self.faults.silent = True
        for connection in list(self._state.connections):
            connection.transport.abort()

    async def _route(self, scope: dict[str, Any], receive: Receive, send: Send) -> None:
        call = (scope["method"], scope["path"])
        if call == ("GET", "/identity"):
            await reply(send, 200, self._identity())
        elif call == ("POST", "/session"):
            body = await read_json(receive)
            if (body.get("user"), body.get("password")) != (self.user, self.password):
                await reply(send, 401, {"problem": "user or password"})
                return
            token = secrets.token_urlsafe(16)
            self.sessions.add(token)
            await reply(send, 200, {"token": token})
        elif self._token(scope) not in self.sessions:
            await reply(send, 401, {"problem": "sign in first"})
        else:
            await self._signed_in(call, receive, send)

    async def _signed_in(self, call: tuple[str, str], receive: Receive, send: Send) -> None:
        method, path = call
        if call == ("GET", "/settings/running"):
            await reply(send, 200, self._running_now())
        elif call == ("GET", "/settings/startup"):
            await reply(send, 200, self.startup)
        elif call == ("PATCH", "/settings/running"):
            await self._patch(await read_json(receive), send)
        elif call == ("POST", "/store"):
            self.keep()
            await reply(send, 200, {"stored": True})
        elif call == ("POST", "/restart"):
            await reply(send, 200, {"restarting": True})
            self._job(self._restart_soon())
        elif call == ("GET", "/bus"):
            await reply(send, 200, {"units": self.subordinates})
        elif call == ("GET", "/points"):
            await reply(send, 200, self.points)
        elif method == "PUT" and path.startswith("/points/"):
            await self._drive(path.removeprefix("/points/"), await read_json(receive), send)
        elif call == ("GET", "/events"):
            await self._events(send)
        else:
            await reply(send, 404, {"problem": "no such thing"})

    def _token(self, scope: dict[str, Any]) -> str:
        for name, value in scope["headers"]:
            if name == b"authorization" and value.startswith(b"Bearer "):
                return str(value[7:].decode("latin-1"))
        return ""

    def _identity(self) -> dict[str, Any]:
        return {
            "maker": self.profile.maker,
            "model": self.reported_model,
            "serial": self.serial,
            "firmware": self.firmware,
            "mac": self.mac,
            "name": get(self.running, "/name") or "",
            "factory": self.factory,
        }

    def _running_now(self) -> Document:
        """Network values are those in force, not those that wait for a restart."""
        now = copy.deepcopy(self.running)
        put(now, "/network/address", self.address)
        return now

    async def _patch(self, body: Document, send: Send) -> None:
        if self.faults.refuse_writes:
            await reply(send, 409, {"problem": "locked"})
            return
        values = list(leaves(body))
        try:
            good = [(path, checked(self.profile, path, value)) for path, value in values]
        except NetloomError as error:
            await reply(send, 422, {"problem": error.message})
            return
        if self.faults.pull_on_write:
            for path, value in good[: len(good) // 2]:
                self.take(path, value)
            seconds, self.faults.pull_on_write = self.faults.pull_on_write, 0.0
            self._job(self._plug_in_again(seconds))
            raise Dropped
        for path, value in good:
            self.take(path, value)
        await reply(send, 200, {"taken": len(good)})

    async def _plug_in_again(self, seconds: float) -> None:
        await asyncio.sleep(seconds)
        self.faults.silent = False

    async def _drive(self, point: str, body: Document, send: Send) -> None:
        known = self.profile.by_point.get(point)
        state = body.get("state")
        if known is None or not known.drive or state not in known.states:
            await reply(send, 422, {"problem": "no such point or state"})
            return
        self.set_point(point, state)
        number = point.rpartition("-")[2]
        if state == "on" and get(self.running, f"/relays/{number}/action") == "pulse":
            self._job(self._end_pulse(point, int(get(self.running, f"/relays/{number}/pulse_ms")) / 1000))
        await reply(send, 200, {point: state})

    async def _end_pulse(self, point: str, seconds: float) -> None:
        await asyncio.sleep(seconds)
        if self.up:
            self.set_point(point, "off")

    async def _events(self, send: Send) -> None:
        queue: asyncio.Queue[dict[str, str]] = asyncio.Queue(256)
        watcher = queue.put_nowait
        self.watchers.append(watcher)
        try:
            await send(
                {"type": "http.response.start", "status": 200, "headers": [(b"content-type", b"text/event-stream")]}
            )
            await send(_event(self.points))
            while True:
                try:
                    async with asyncio.timeout(10):
                        change = await queue.get()
                    await send(_event(change))
                except TimeoutError:
                    await send({"type": "http.response.body", "body": b": still here\n\n", "more_body": True})
        finally:
            self.watchers.remove(watcher)


def _event(states: dict[str, str]) -> dict[str, Any]:
    return {"type": "http.response.body", "body": b"data: " + orjson.dumps(states) + b"\n\n", "more_body": True}


async def read_json(receive: Receive) -> Document:
    body = b""
    while True:
        message = await receive()
        body += message.get("body", b"")
        if len(body) > MAX_BODY or not message.get("more_body"):
            break
    try:
        parsed = orjson.loads(body or b"{}")
    except orjson.JSONDecodeError:
        return {}
    return parsed if isinstance(parsed, dict) else {}


async def reply(send: Send, status: int, body: Any) -> None:
    data = orjson.dumps(body)
    headers = [(b"content-type", b"application/json"), (b"content-length", str(len(data)).encode())]
    await send({"type": "http.response.start", "status": status, "headers": headers})
    await send({"type": "http.response.body", "body": data})
