"""HTTP with JSON: reads and writes documents as the profile's calls say.

Writes are JSON merge patches (RFC 7396). Events are Server-Sent Events whose data are
JSON objects of point id to state. But for the identity, everything is said only on the
connection on which it was proven who is there.
"""

from __future__ import annotations

from collections.abc import AsyncIterator, Hashable, Sequence
from typing import Any

import orjson

from netloom_core.documents.patch import merge_patch
from netloom_core.documents.tree import MAX_DEPTH, MISSING, Document, depth, get, put
from netloom_core.drivers.abilities import Abilities, Ability
from netloom_core.errors import CannotDo, KeyLost, NoAnswer, ProtocolError, Refused, WrongCredentials
from netloom_core.links.http import HttpLink
from netloom_core.model.change import Change
from netloom_core.model.device import Credentials, Identity, Target
from netloom_core.profiles.schema import HttpCall, HttpReach, Profile

MAX_FACT = 120
MAX_SUBORDINATES = 256
MAX_TOKEN = 4096

_BY_CALL = {
    Ability.WRITE: "write",
    Ability.STORE: "store",
    Ability.RESTART: "restart",
    Ability.STATES: "states",
    Ability.DRIVE: "drive",
    Ability.WATCH: "events",
    Ability.LIST: "behind",
    Ability.SIGN_IN: "sign_in",
}


def abilities(profile: Profile) -> Abilities:
    reach = profile.reach.http
    if reach is None:
        return Abilities()
    can = {ability for ability, call in _BY_CALL.items() if getattr(reach, call) is not None}
    can |= {Ability.IDENTIFY} | ({Ability.READ} if reach.read else set())
    return Abilities(frozenset(can), frozenset(reach.read))


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
            raise CannotDo(f"{profile.model} is not reached over HTTP.")
        self.target = target
        self._profile = profile
        self._reach = reach
        self._link = link
        self._token = ""
        self._trusted: int | None = None
        self._raw: Any = None  # the last reply with running values: tells where the device has arrays

    @property
    def connection(self) -> Hashable | None:
        return self._link.connection if self._link.open or self._link.just_closed else None

    def trust(self, connection: Hashable | None) -> None:
        self._trusted = connection if isinstance(connection, int) else None

    def speak_for(self, who: str, priority: int) -> None:
        """A network is not taken turns at."""

    async def close(self) -> None:
        self._link.close()
        self._token = ""

    async def identify(self) -> Identity:
        status, content = await self._link.request(self._reach.identify.method, self._reach.identify.path)
        self._judge(status, self._reach.identify)
        return identity_of(self._reach, _json(content, self.target.address))

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
        if which == "running":
            self._raw = reply
        document: Document = {}
        for path, setting in self._profile.by_path.items():
            value = MISSING if setting.type == "secret" else get(reply, setting.pointer or path)
            if value is not MISSING:
                put(document, path, value)
        return document

    async def write(self, changes: Sequence[Change]) -> None:
        if self._raw is None and any(part.isdecimal() for c in changes for part in c.path.split("/")):
            await self.read("running")  # a number in a pointer may count in an array
        values = {self._pointer(change.path): self._plain(change) for change in changes}
        await self._call(self._reach.write, body=merge_patch(self._raw, values))

    def _pointer(self, path: str) -> str:
        return self._profile.by_path[path].pointer or path

    def _plain(self, change: Change) -> Any:
        """The value to send: the text itself behind a reference to a secret."""
        if self._profile.by_path[change.path].type != "secret":
            return change.after
        text = self.target.secrets.get(str(change.after))
        if text is None:
            raise KeyLost(
                f"The secret for {change.path} of {self.target.name} is not to be had.",
                "Enter it again. Nothing was written.",
                target=self.target.device,
            )
        return text

    async def store(self) -> None:
        await self._act(self._reach.store, "store")

    async def restart(self) -> None:
        await self._act(self._reach.restart, "restart")
        self._token = ""

    async def _act(self, call: HttpCall | None, what: str) -> None:
        if call is None:
            raise CannotDo(f"{self._profile.model} has no way to {what}.", "Nothing was sent to it.")
        await self._call(call)

    async def states(self) -> dict[str, str]:
        if self._reach.states is None:
            return {}
        return self._known(await self._call(self._reach.states))

    async def drive(self, point: str, state: str) -> None:
        call = self._reach.drive
        if call is None:
            raise CannotDo(f"{self._profile.model} has nothing that can be driven.")
        made = call.model_copy(update={"path": call.path.replace("{point}", point)})
        await self._call(made, body=filled(call.body, point=point, state=state))

    async def watch(self) -> AsyncIterator[dict[str, str]]:
        call = self._reach.events
        if call is None:
            return
        await self._signed_in()
        async for line in self._link.lines(call.method, call.path, self._headers(), proven=self._trusted or 0):
            if line.startswith("data:"):
                yield self._known(_json(line[5:].encode(), self.target.address))

    async def sign_in_as(self, credentials: Credentials) -> bool:
        return bool(await self._token_for(credentials))

    def _known(self, reply: Any) -> dict[str, str]:
        if not isinstance(reply, dict):
            raise ProtocolError(f"{self.target.address} reports its points in an unknown form.")
        return {
            name: state for name, state in reply.items() if name in self._profile.by_point and isinstance(state, str)
        }

    def _headers(self) -> tuple[tuple[str, str], ...]:
        return (("authorization", f"Bearer {self._token}"),) if self._token else ()

    async def _signed_in(self) -> None:
        if self._reach.sign_in is None or self._token:
            return
        if self.target.trouble:
            raise KeyLost(
                f"{self.target.name}: {self.target.trouble}",
                "Enter its credentials again, or put the key of this data folder back. Nothing was sent to it.",
                target=self.target.device,
            )
        for credentials in self.target.credentials or (Credentials(),):
            self._token = await self._token_for(credentials)
            if self._token:
                return
        raise WrongCredentials(
            f"{self.target.name or self.target.address} does not take the user name and password.",
            "Enter the right ones on the bench under Address, Access; nothing was changed on the device.",
            target=self.target.device,
        )

    async def _token_for(self, credentials: Credentials) -> str:
        """A token, or nothing where the device does not take them."""
        call = self._reach.sign_in
        if call is None:
            return ""
        body = filled(call.body, user=credentials.user, password=credentials.password)
        try:
            reply = await self._send(call, body)
        except WrongCredentials:
            return ""
        token = get(reply, self._reach.token)
        if isinstance(token, str) and 0 < len(token) <= MAX_TOKEN and token.isprintable() and token.isascii():
            return token
        raise ProtocolError(f"{self.target.address} signed us in without a token that can be used.", outcome="not_sent")

    async def _call(self, call: HttpCall, body: Any = None) -> Any:
        await self._signed_in()
        try:
            return await self._send(call, body)
        except WrongCredentials:
            if not self._token:
                raise
        self._token = ""
        await self._signed_in()
        return await self._send(call, body)

    async def _send(self, call: HttpCall, body: Any) -> Any:
        data = orjson.dumps(body) if body is not None else b""
        status, content = await self._link.request(
            call.method, call.path, data, self._headers(), proven=self._trusted or 0
        )
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
        reply = orjson.loads(content)
    except orjson.JSONDecodeError as error:
        raise ProtocolError(f"{address} sent a reply that is not JSON.", "Is it the right device?") from error
    if depth(reply) > MAX_DEPTH:
        raise ProtocolError(f"{address} sent a reply nested deeper than {MAX_DEPTH}.", "Is it the right device?")
    return reply
