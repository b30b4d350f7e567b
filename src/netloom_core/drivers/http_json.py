"""HTTP with JSON: reads and writes documents as the profile's calls say.

Writes are JSON merge patches (RFC 7396). Events are Server-Sent Events whose data are
JSON objects of point id to state.
"""

from __future__ import annotations

from collections.abc import AsyncIterator, Sequence
from typing import Any

import orjson

from netloom_core.errors import NoAnswer, ProtocolError, Refused, WrongCredentials
from netloom_core.links.http import HttpLink
from netloom_core.model.change import Change
from netloom_core.model.device import Credentials, Identity, Target
from netloom_core.plan.documents import MISSING, Document, get, put
from netloom_core.profiles.schema import HttpCall, HttpReach, Profile

MAX_FACT = 120
MAX_SUBORDINATES = 256


def identity_of(reach: HttpReach, reply: Any) -> Identity:
    """Identity from an identify reply, as the profile maps it; values are cut to a sane length."""
    facts: dict[str, str] = {}
    for name, pointer in reach.identity.items():
        value = get(reply, pointer)
        if isinstance(value, bool):
            facts[name] = "yes" if value else "no"
        elif isinstance(value, str | int):
            facts[name] = str(value)[:MAX_FACT]
    named = {name: facts.pop(name, "") for name in ("maker", "model", "serial", "firmware")}
    return Identity(**named, facts=facts)


def filled(body: dict[str, Any] | None, **values: str) -> dict[str, Any] | None:
    if body is None:
        return None
    return {
        name: value.format(**values) if isinstance(value, str) and "{" in value else value
        for name, value in body.items()
    }


class HttpJsonDriver:
    """A device with an HTTP/JSON interface. Signs in on first need, once more when its token ran out."""

    def __init__(self, target: Target, profile: Profile, link: HttpLink) -> None:
        reach = profile.reach.http
        if reach is None:
            raise ProtocolError(f"{profile.model} is not reached over HTTP.")
        self.target = target
        self._profile = profile
        self._reach = reach
        self._link = link
        self._token = ""

    async def close(self) -> None:
        self._link.close()

    async def identify(self) -> Identity:
        return identity_of(self._reach, await self._call(self._reach.identify, signed=False))

    async def subordinates(self) -> list[dict[str, str]]:
        """Facts of everybody on the bus that the device leads, as its profile maps them; at most 256."""
        behind = self._reach.behind
        if behind is None:
            return []
        reply = await self._call(behind.list)
        items = get(reply, behind.items) if behind.items else reply
        found = []
        for item in items[:MAX_SUBORDINATES] if isinstance(items, list) else []:
            values = {name: get(item, pointer) for name, pointer in behind.fields.items()}
            found.append({n: str(v)[:MAX_FACT] for n, v in values.items() if isinstance(v, str | int)})
        return found

    async def read(self, which: str) -> Document:
        call = self._reach.read.get("startup" if which == "startup" else "running")
        if call is None:
            return {}
        reply = await self._call(call)
        document: Document = {}
        for path, setting in self._profile.by_path.items():
            value = get(reply, setting.pointer or path)
            if value is not MISSING:
                put(document, path, value)
        return document

    async def write(self, changes: Sequence[Change]) -> None:
        patch: Document = {}
        for change in changes:
            put(patch, self._profile.by_path[change.path].pointer or change.path, change.after)
        await self._call(self._reach.write, body=patch)

    async def store(self) -> None:
        if self._reach.store is not None:
            await self._call(self._reach.store)

    async def restart(self) -> None:
        if self._reach.restart is not None:
            await self._call(self._reach.restart)
        self._token = ""

    async def readdress(self, changes: Sequence[Change]) -> None:
        await self.write(changes)
        await self.store()
        await self.restart()

    async def states(self) -> dict[str, str]:
        if self._reach.states is None:
            return {}
        return self._known(await self._call(self._reach.states))

    async def drive(self, point: str, state: str) -> None:
        call = self._reach.drive
        if call is None:
            raise Refused(f"{self._profile.model} has nothing that can be driven.")
        made = call.model_copy(update={"path": call.path.replace("{point}", point)})
        await self._call(made, body=filled(call.body, point=point, state=state))

    async def watch(self) -> AsyncIterator[dict[str, str]]:
        call = self._reach.events
        if call is None:
            return
        await self._signed_in()
        async for line in self._link.lines(call.method, call.path, self._headers()):
            if line.startswith("data:"):
                yield self._known(_json(line[5:].encode(), self.target.address))

    def _known(self, reply: Any) -> dict[str, str]:
        if not isinstance(reply, dict):
            raise ProtocolError(f"{self.target.address} reports its points in an unknown form.")
        return {
            name: state for name, state in reply.items() if name in self._profile.by_point and isinstance(state, str)
        }

    def _headers(self) -> tuple[tuple[str, str], ...]:
        return (("authorization", f"Bearer {self._token}"),) if self._token else ()

    async def _signed_in(self) -> None:
        call = self._reach.sign_in
        if call is None or self._token:
            return
        for credentials in self.target.credentials or (Credentials(),):
            body = filled(call.body, user=credentials.user, password=credentials.password)
            try:
                reply = await self._call(call, body=body, signed=False)
            except WrongCredentials:
                continue
            token = get(reply, self._reach.token)
            if isinstance(token, str) and token:
                self._token = token
                return
            raise ProtocolError(f"{self.target.address} signed us in without a token.")
        raise WrongCredentials(
            f"{self.target.name or self.target.address} does not take the user name and password.",
            "Enter the right ones on the bench under Address, Access; nothing was changed on the device.",
            target=self.target.device,
        )

    async def _call(self, call: HttpCall, body: Any = None, *, signed: bool = True) -> Any:
        if signed:
            await self._signed_in()
        data = orjson.dumps(body) if body is not None else b""
        status, content = await self._link.request(call.method, call.path, data, self._headers())
        if status == 401 and signed and self._token:
            self._token = ""
            await self._signed_in()
            status, content = await self._link.request(call.method, call.path, data, self._headers())
        self._judge(status, call)
        return _json(content, self.target.address) if content else {}

    def _judge(self, status: int, call: HttpCall) -> None:
        if status in (401, 403):
            raise WrongCredentials(f"{self.target.address} wants other credentials.", target=self.target.device)
        if status == 503:
            raise NoAnswer(f"{self.target.address} is not ready yet.", "Wait until it has started.", outcome="not_sent")
        if status >= 400:
            raise Refused(
                f"{self.target.name or self.target.address} refused {call.method} {call.path} with HTTP {status}.",
                "It was read back to see what it has now; compare and try again.",
                target=self.target.device,
            )
        if status >= 300:
            raise ProtocolError(f"{self.target.address} sends us elsewhere (HTTP {status}).")


def _json(content: bytes, address: str) -> Any:
    try:
        return orjson.loads(content)
    except orjson.JSONDecodeError as error:
        raise ProtocolError(f"{address} sent a reply that is not JSON.", "Is it the right device?") from error
