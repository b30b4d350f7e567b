"""An HTTP face with JSON: whole documents by set behind a token, states by point, events as they happen.

Values work at once and go at a power cut unless they are stored; what the description says to work later works from the
next start on.
"""

from __future__ import annotations

import asyncio
import copy
import secrets
import socket
from typing import Any

from pydantic import BaseModel, ConfigDict
from uvicorn.config import Config
from uvicorn.server import ServerState

from netloom_core.documents.tree import MISSING, Document, get, leaves, put
from netloom_standins.asgi import Receive, Send, event, read_json, reply
from netloom_standins.described.loading import MOST
from netloom_standins.described.memory import Wrong, spread
from netloom_standins.described.unit import DescribedUnit
from netloom_standins.services.base import Service

QUIET_S = 10  # between signs of life on a stream of events


class Dropped(Exception):
    """The cable is out: nothing more is sent on this connection."""


SHORTEST = 8  # letters of a password


class DocumentsForm(BaseModel):
    """`points` are the states by the name that a call drives them by; `driven` are those that a call may set.

    `pulses` are by point: the path that says whether it is a pulse, the word for it, the path of its time in ms.
    """

    model_config = ConfigDict(extra="forbid")

    face: str
    port: int
    user: str
    password: str
    points: dict[str, str] = {}
    driven: list[str] = []
    silent: list[str] = []  # of those the ones of which it tells no state
    pulses: dict[str, tuple[str, str, str]] = {}
    password_at: str = ""  # where in its memory the password is, where it can be changed
    # `runs` off: its service does not; `subordinates` are on the bus that it may lead; `forces`: while it has its
    # factory's password it takes a new one, and does nothing else
    site: dict[str, Any] = {}


def laid(table: dict[str, str]) -> dict[str, str]:
    """`relay-{1..8}: /relays/{1..8}/state` as its eight pairs."""
    return {one: path for name, place in table.items() for one, path in zip(spread(name), spread(place), strict=True)}


class Documents(Service):
    def __init__(self, unit: Any, options: dict[str, Any]) -> None:
        super().__init__(unit, options)
        self.form = DocumentsForm.model_validate(options)
        self.points = laid(self.form.points)
        self._silent = {one for name in self.form.silent for one in spread(name)}
        self._driven = {one for name in self.form.driven for one in spread(name)}
        self._pulses = {
            one: (how, word, time)
            for name, (path, word, span) in self.form.pulses.items()
            for one, how, time in zip(spread(name), spread(path), spread(span), strict=True)
        }
        self.tokens: set[str] = set()
        self._streams: set[asyncio.Task[Any]] = set()
        self._server: asyncio.Server | None = None
        self._state = ServerState()

    @property
    def described(self) -> DescribedUnit:
        return self.unit  # type: ignore[return-value]

    async def start(self) -> None:
        if not self.form.site.get("runs", True):
            return
        config = Config(
            self._app, http="h11", ws="none", lifespan="off", interface="asgi3", log_config=None, access_log=False
        )
        config.load()
        self._state = ServerState()
        sock = socket.socket(socket.AF_INET, socket.SOCK_STREAM, socket.IPPROTO_TCP)
        sock.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        sock.bind((self.unit.address, self.form.port))
        protocol: Any = config.http_protocol_class
        self._server = await asyncio.get_running_loop().create_server(
            lambda: protocol(config=config, server_state=self._state, app_state={}), sock=sock, backlog=128
        )
        self.described.announced(True)

    async def stop(self) -> None:
        """Off: every connection is cut, nothing listens."""
        self.tokens.clear()
        for task in list(self._streams):
            task.cancel()
        if self._server is not None:
            self._server.close()
            self._cut()
            self._server = None
            self.described.announced(False)

    def _cut(self) -> None:
        for connection in list(self._state.connections):
            connection.transport.abort()

    # Calls

    async def _app(self, scope: dict[str, Any], receive: Receive, send: Send) -> None:
        task = asyncio.current_task()
        if task is not None:
            self._streams.add(task)
            task.add_done_callback(self._streams.discard)
        try:
            while self.unit.faults.silent:  # noqa: ASYNC110 - a fault is cleared from anywhere
                await asyncio.sleep(0.05)
            await self._route(scope, receive, send)
        except Dropped:
            self._cut()
        except asyncio.CancelledError:
            return  # the power is off: there is nobody left to answer

    async def _route(self, scope: dict[str, Any], receive: Receive, send: Send) -> None:
        call = (scope["method"], scope["path"])
        if call == ("GET", "/identity"):
            await reply(send, 200, self._identity())
        elif call == ("POST", "/session"):
            body = await read_json(receive)
            if (body.get("user"), body.get("password")) != (self.form.user, self._password):
                await reply(send, 401, {"problem": "user or password"})
                return
            token = secrets.token_urlsafe(16)
            self.tokens.add(token)
            await reply(send, 200, {"token": token})
        elif _token(scope) not in self.tokens:
            await reply(send, 401, {"problem": "sign in first"})
        else:
            await self._signed_in(scope, receive, send)

    @property
    def _password(self) -> str:
        at = self.form.password_at
        return str(self.described.memory.value(at)) if at else self.form.password

    async def _new_password(self, body: Document, send: Send) -> None:
        """Whoever was signed in has to do so anew, and the connection is closed."""
        unit, word = self.described, str(body.get("password", ""))
        if unit.faults.refuse_writes or len(word) < SHORTEST or word == self.form.password:
            await reply(send, 422, {"problem": "too short, or the one from the factory"})
            return
        if unit.pulled():
            raise Dropped
        unit.written(self.form.password_at, word)
        self.tokens.clear()
        raise Dropped

    async def _signed_in(self, scope: dict[str, Any], receive: Receive, send: Send) -> None:
        method, path = call = (scope["method"], scope["path"])
        unit = self.described
        if call == ("POST", "/firmware") and unit.loading is not None:
            await self._load(scope, receive, send)
            return
        if unit.loading is not None and unit.loading.mode:
            await reply(send, 409, {"problem": "loader only"})
            return
        if call == ("PUT", "/access") and self.form.password_at:
            await self._new_password(await read_json(receive), send)
        elif self.form.site.get("forces") and self._password == self.form.password:
            await reply(send, 403, {"problem": "new password first"})
        elif call == ("GET", "/record"):
            events = [{"at": round(at, 3), "text": text} for at, text in unit.log]
            await reply(send, 200, {"now": round(unit.now, 3), "events": events})
        elif call == ("GET", "/settings/running"):
            await reply(send, 200, self._settings(unit.memory.running))
        elif call == ("GET", "/settings/startup"):
            await reply(send, 200, self._settings(unit.memory.startup))
        elif call == ("PATCH", "/settings/running"):
            await self._patch(await read_json(receive), send)
        elif call == ("POST", "/store"):
            unit.do("keep")
            await reply(send, 200, {"stored": True})
        elif call == ("POST", "/restart"):
            await reply(send, 200, {"restarting": True})
            unit.do("restart")
        elif call == ("GET", "/bus"):
            await reply(send, 200, {"units": self.form.site.get("subordinates", [])})
        elif call == ("GET", "/points"):
            await reply(send, 200, self._states())
        elif method == "PUT" and path.startswith("/points/"):
            await self._drive(path.removeprefix("/points/"), await read_json(receive), send)
        elif call == ("GET", "/events"):
            await self._events(send)
        else:
            await reply(send, 404, {"problem": "no such thing"})

    def _identity(self) -> dict[str, Any]:
        words = self.described.words
        told = {name: words[name] for name in ("maker", "model", "serial", "firmware", "mac")}
        if self.described.loading is not None:
            told |= self.described.loading.words()
        return {**told, "name": str(self.described.memory.running.get("name", "")), "factory": self.unit.factory}

    async def _load(self, scope: dict[str, Any], receive: Receive, send: Send) -> None:
        """A firmware file in a multipart form, as a browser sends one."""
        unit = self.described
        assert unit.loading is not None
        fields = {name.decode(): value.decode("latin-1") for name, value in scope["headers"]}
        size = int(fields.get("content-length", "0") or 0)
        if why := ("" if 0 < size < MOST else "too large") or unit.loading.began():
            await reply(send, 409, {"problem": why})
            return
        body = bytearray()
        while True:
            message = await receive()
            if message["type"] == "http.disconnect":
                unit.loading.gave_up(len(body) / size)
                return
            body += message.get("body", b"")
            if not unit.loading.came(len(body) / size):
                raise Dropped
            if not message.get("more_body"):
                break
        if unit.pulled():
            raise Dropped
        boundary = fields.get("content-type", "").partition("boundary=")[2].encode()
        _, _, part = bytes(body).partition(b"\r\n\r\n")
        if why := unit.loading.whole(part.rpartition(b"\r\n--" + boundary)[0]):
            await reply(send, 422, {"problem": why})
            return
        await reply(send, 202, {"taken": True})

    def _has(self, path: str) -> bool:
        return self.described.loading is None or self.described.loading.has(path)

    def _settings(self, document: Document) -> Document:
        """Without what are states."""
        told = copy.deepcopy(document)
        for path, cell in self.described.memory.cells.items():
            if cell.live or cell.secret or not self._has(path):
                *parents, last = path.strip("/").split("/")
                here: Any = told
                for parent in parents:
                    here = here.get(parent, {})
                here.pop(last, None)
        if (mumbled := self.unit.faults.mumbles) and get(told, mumbled) is not MISSING:
            put(told, mumbled, {"error": -1})
        return told

    def _states(self) -> dict[str, Any]:
        told = ((name, path) for name, path in self.points.items() if name not in self._silent)
        return {name: _state(self.described.memory.value(path)) for name, path in told}

    async def _patch(self, body: Document, send: Send) -> None:
        unit = self.described
        memory = unit.memory
        values = list(leaves(body))
        if unit.faults.refuse_writes:
            await reply(send, 409, {"problem": "locked"})
            return
        for path, said in values:
            cell = memory.cells.get(path)
            try:
                if cell is None or cell.live or cell.secret or not self._has(path):
                    raise Wrong("unknown")
                cell.parsed(said)
            except Wrong as error:
                await reply(send, 422, {"problem": f"{path}: {error}"})
                return
        if unit.pulled():
            for path, said in values[: len(values) // 2]:
                unit.written(path, said)
            raise Dropped
        for path, said in values:
            unit.written(path, said)
        await reply(send, 200, {"taken": len(values)})

    async def _drive(self, point: str, body: Document, send: Send) -> None:
        unit, path = self.described, self.points.get(point)
        state = body.get("state")
        cell = unit.memory.cells.get(path or "")
        if path is None or cell is None or point not in self._driven:
            await reply(send, 422, {"problem": "no such point"})
            return
        if unit.pulled():
            raise Dropped
        try:
            unit.written(path, state)
        except Wrong as error:
            await reply(send, 409 if str(error) == "refused" else 422, {"problem": "not now, or no such state"})
            return
        how, word, span = self._pulses.get(point, ("", "", ""))
        if how and state == "on" and unit.memory.value(how) == word:
            unit._job(self._end_pulse(path, int(unit.memory.value(span)) / 1000))
        await reply(send, 200, {point: state})

    async def _end_pulse(self, path: str, seconds: float) -> None:
        await asyncio.sleep(seconds)
        if self.unit.up:
            self.described.memory.set(path, "off")

    async def _events(self, send: Send) -> None:
        names = {path: name for name, path in self.points.items() if name not in self._silent}
        stream = Stream(names)
        self.described.talks.append(stream)
        try:
            head = [(b"content-type", b"text/event-stream")]
            await send({"type": "http.response.start", "status": 200, "headers": head})
            await send(event(self._states()))
            while True:
                try:
                    async with asyncio.timeout(QUIET_S):
                        change = await stream.changes.get()
                    await send(event(change))
                except TimeoutError:
                    await send({"type": "http.response.body", "body": b": still here\n\n", "more_body": True})
        finally:
            self.described.talks.remove(stream)


class Stream:
    """An open stream of events, which hears of changes as every talk does."""

    def __init__(self, names: dict[str, str]) -> None:
        self._names = names
        self.changes: asyncio.Queue[dict[str, Any]] = asyncio.Queue(256)

    def tell(self, path: str, value: Any) -> None:
        if path in self._names:
            self.changes.put_nowait({self._names[path]: _state(value)})

    def started(self) -> None:
        """It was cut when the power went."""


def _state(value: Any) -> str:
    """As a state is said: a word."""
    return ("on" if value else "off") if isinstance(value, bool) else str(value)


def _token(scope: dict[str, Any]) -> str:
    for name, value in scope["headers"]:
        if name == b"authorization" and value.startswith(b"Bearer "):
            return str(value[7:].decode("latin-1"))
    return ""
