"""HTTP: reads and writes whole documents, or item by item, as the profile's calls say.

Whole documents are written by JSON merge patches (RFC 7396), or by forms and XML of what changes. Events are
Server-Sent Events whose data are objects of point id to state. But for the identity, everything is said only on the
connection on which it was proven who is there.
"""

from __future__ import annotations

import re
from collections.abc import AsyncIterator, Callable, Hashable, Sequence
from dataclasses import replace
from functools import cached_property
from typing import Any

from netloom_core.documents.patch import merge_patch
from netloom_core.documents.tree import MISSING, get, put
from netloom_core.drivers.bound import RUNNING, STARTUP, BoundDriver, Told, identity_from
from netloom_core.drivers.http.access import Access
from netloom_core.drivers.http.bodies import TYPES, decoded, encoded, field_of, word_of
from netloom_core.drivers.http.form import HttpBinding, HttpCall, HttpChannel, HttpGet, HttpLoad
from netloom_core.drivers.http.loading import enclosed
from netloom_core.drivers.wire import Unreadable, as_text, as_typed, from_text, from_typed
from netloom_core.errors import Absent, CodeWanted, KeyLost, NoAnswer, ProtocolError, Refused, WrongCredentials
from netloom_core.links.http import HttpLink
from netloom_core.links.tls import TLS_PIN
from netloom_core.model.device import Credentials, Identity, Target
from netloom_core.model.image import Image
from netloom_core.profiles.item import Item
from netloom_core.profiles.profile import Bound, Profile
from netloom_core.profiles.record import MOST_EVENTS, Event, moment
from netloom_core.types.base import BadValue

MAX_SUBORDINATES = 256
MAX_FACT = 120
_PLACE = re.compile(r"\{(user|password|point|state|value)\}")


def identity_of(channel: HttpChannel, reply: Any) -> Identity:
    """Identity from an identify reply, as the profile maps it; values are cut to a sane length."""
    facts: dict[str, str] = dict(channel.constant)
    for name, pointer in channel.identity.items():
        value = get(reply, pointer)
        if isinstance(value, bool):
            facts[name] = "yes" if value else "no"
        elif isinstance(value, str | int):
            facts[name] = str(value)[:MAX_FACT]
    return identity_from(facts)


def filled(body: Any, values: dict[str, Any]) -> Any:
    """A call's body with its places filled in; one that is nothing but a place gets the value in its own type."""
    if isinstance(body, dict):
        return {name: filled(value, values) for name, value in body.items()}
    if isinstance(body, list):
        return [filled(value, values) for value in body]
    if not isinstance(body, str) or "{" not in body:
        return body
    only = _PLACE.fullmatch(body)
    if only and only[1] in values:
        return values[only[1]]
    return _PLACE.sub(lambda found: word_of(values[found[1]]) if found[1] in values else found[0], body)


class HttpDriver(BoundDriver):
    """A device with an HTTP interface. Signs in on first need, once more when its sign-in ran out."""

    def __init__(self, target: Target, profile: Profile, name: str, link: HttpLink) -> None:
        super().__init__(target, profile, name)
        channel = profile.channels[name]
        assert isinstance(channel, HttpChannel)
        self._channel = channel
        self._link = link
        self._access = Access(channel)
        self._raw: Any = None  # the last reply with running values: tells where the device has arrays

    @property
    def connection(self) -> Hashable | None:
        return self._link.connection if self._link.open or self._link.just_closed else None

    @property
    def _proven(self) -> int:
        return self._trusted if isinstance(self._trusted, int) else 0

    async def close(self) -> None:
        self._link.close()
        self._access.forget()

    async def identify(self) -> Identity:
        call = self._channel.identify
        if self._channel.known_after_sign_in:
            # Whose password this is was decided by the record; who is there is asked before anything else.
            tree = await self._call(call, proven=None)
        else:
            status, content = await self._link.request(call.method, call.path)
            self._judge(status, call, content)
            tree = self._tree(content)
        identity = identity_of(self._channel, tree)
        if not self._channel.tls:
            return identity
        return replace(identity, facts={**identity.facts, TLS_PIN: self._link.pin})

    async def subordinates(self) -> list[dict[str, str]]:
        """Facts of everybody on the bus that the device leads, as its profile maps them; at most 256."""
        behind = self._channel.behind
        if behind is None:
            return []
        reply = await self._call(behind.list)
        items = get(reply, behind.items) if behind.items else reply
        found = []
        for item in items[:MAX_SUBORDINATES] if isinstance(items, list) else []:
            values = {name: get(item, pointer) for name, pointer in behind.fields.items()}
            found.append({n: str(v)[:MAX_FACT] for n, v in values.items() if isinstance(v, str | int)})
        return found

    # Reading

    def tells_startup(self, bound: Bound) -> bool:
        return STARTUP in self._channel.read and bound.binding.get is None

    async def fetch(self, which: str, wanted: Sequence[Bound]) -> Told:
        """One request for the whole document, and one for each different call of items."""
        replies: dict[str, Any] = {}
        whole = self._channel.read.get("startup" if which == STARTUP else "running")
        told: dict[str, Any] = {}
        for bound in wanted:
            binding = bound.binding
            if binding.get is not None:
                key = binding.get.path
                if key not in replies:
                    replies[key] = await self._item_reply(binding.get)
                reply, pointer = replies[key], binding.get.at
            elif whole is not None and bound.item.decided:
                if "" not in replies:
                    replies[""] = await self._call(whole)
                    if which == RUNNING:
                        self._raw = replies[""]
                reply, pointer = replies[""], binding.pointer or bound.item.path
            else:
                continue
            if isinstance(reply, Unreadable):
                told[bound.item.path] = reply
            elif (value := get(reply, pointer)) is not MISSING:
                told[bound.item.path] = self._value(bound.item, binding, value)
        return told

    async def _item_reply(self, call: HttpGet) -> Any:
        """The reply to the call for one item; what the device has not is an empty one, and one no spoils no others."""
        try:
            return await self._call(call)
        except Absent:
            return {}
        except Refused as error:
            return Unreadable(error.message)

    def _value(self, item: Item, binding: HttpBinding, value: Any) -> Any:
        try:
            if self._channel.told != "json" and isinstance(value, str):
                return from_text(item, binding, value)
            return from_typed(item, binding, value)
        except Unreadable as error:
            return error

    async def states(self) -> dict[str, str]:
        found: dict[str, str] = {}
        if self._channel.states is not None:
            found = self._known(await self._call(self._channel.states))
        singles = [b for b in self.profile.bound_live(self.name) if b.binding.get is not None]
        return {**found, **self.states_of(await self.fetch(RUNNING, singles))} if singles else found

    def _known(self, reply: Any) -> dict[str, str]:
        if not isinstance(reply, dict):
            raise ProtocolError(f"{self.target.address} reports its points in an unknown form.")
        points, known = self.profile.by_point, {}
        for name, said in reply.items():
            item = points.get(name)
            if item is None:
                continue
            binding = self._bindings.get(item.path)
            state = _state(item, said) if binding is None else self._state_by(item, binding, said)
            if state is not None:
                known[name] = state
        return known

    @cached_property
    def _bindings(self) -> dict[str, HttpBinding]:
        """By path, of points whose states stand otherwise on the wire than here."""
        told = [(bound.item.path, bound.binding) for bound in self.profile.bound_live(self.name)]
        return {path: one for path, one in told if one.words or one.factor != 1 or one.plus or one.form}

    def _state_by(self, item: Item, binding: HttpBinding, said: Any) -> str | None:
        value = self._value(item, binding, said)
        return None if isinstance(value, Unreadable) else item.state_of(value)

    async def watch(self) -> AsyncIterator[dict[str, str]]:
        call = self._channel.events
        if call is None:
            return
        await self._signed_in(self._proven)
        fields = tuple(self._access.fields(call.method, call.path))
        async for line in self._link.lines(call.method, call.path, fields, proven=self._proven):
            if line.startswith("data:"):
                yield self._known(decoded(line[5:].encode(), "json", self.target.address))

    # Writing

    async def assign(self, values: Sequence[tuple[Bound, Any]]) -> None:
        whole = [(bound, value) for bound, value in values if bound.binding.put is None and bound.item.decided]
        points = [(bound, value) for bound, value in values if bound.binding.put is None and not bound.item.decided]
        if whole:
            await self._assign_whole(whole)
        for bound, value in points:
            assert self._channel.drive is not None
            # By its word where it has one; else by the state as it is called here.
            worded = bound.binding.words or bound.binding.factor != 1 or bound.binding.plus or bound.binding.form
            state = self._said(bound, value) if worded else bound.item.state_of(value)
            await self._act(self._channel.drive, {"point": bound.binding.point or bound.item.id, "state": state})
        for bound, value in values:
            if bound.binding.put is not None:
                await self._act(bound.binding.put, {"value": self._said(bound, value)})

    def _said(self, bound: Bound, value: Any) -> Any:
        say = as_typed if self._channel.bodies == "json" else as_text
        return say(bound.item, bound.binding, value)

    async def _assign_whole(self, values: Sequence[tuple[Bound, Any]]) -> None:
        call = self._channel.write
        if call is None:
            raise ProtocolError(f"{self.profile.model} has no call that writes.", outcome="not_sent")
        said = {bound.binding.pointer or bound.item.path: self._said(bound, value) for bound, value in values}
        if self._channel.bodies == "form":
            await self._act(call, body={field_of(pointer): value for pointer, value in said.items()})
            return
        if self._channel.bodies == "xml":
            tree: dict[str, Any] = {}
            for pointer, value in said.items():
                put(tree, pointer, value)
            await self._act(call, body=tree)
            return
        if self._raw is None and any(part.isdecimal() for pointer in said for part in pointer.split("/")):
            await self.read(RUNNING)  # a number in a pointer may count in an array
        await self._act(call, body=merge_patch(self._raw, said))

    async def perform(self, calls: Sequence[Any]) -> None:
        for call in calls:
            await self._act(call)

    def went(self) -> None:
        self._access.forget()

    def sign_out(self) -> None:
        self._access.forget()

    async def record(self) -> tuple[float | None, list[Event]]:
        """What time it has, and its event record."""
        how = self._channel.record
        assert how is not None
        told = await self._call(how.call)
        rows = get(told, how.at) if how.at else told

        def word(row: Any, where: str) -> str:
            value = get(row, where) if where else MISSING
            return "" if value is MISSING or isinstance(value, dict | list) else str(value)

        listed = rows[-MOST_EVENTS:] if isinstance(rows, list) else []
        events = [
            Event(word(row, how.text), word(row, how.code), moment(word(row, how.when), how.time))
            for row in listed
            if isinstance(row, dict)
        ]
        return (moment(word(told, how.now), how.time) if how.now else None), events

    async def load(self, image: Image, told: Callable[[int], None]) -> None:
        """The file in one request, piece by piece; signed in anew once where the sign-in ran out."""
        how = self._channel.load
        assert how is not None
        await self._signed_in(self._proven)
        if self._access.kind in ("basic", "digest") and (probe := next(iter(self._channel.read.values()), None)):
            await self._call(probe)  # a challenge is answered before the file goes, not after it
        status, content = await self._upload(how, image, told)
        if status == 401 and self._access.kind in ("token", "cookie"):
            self._access.forget()
            await self._signed_in(self._proven)
            status, content = await self._upload(how, image, told)
        if 400 <= status < 500 and status not in (401, 403):
            words = "".join(c for c in content[:300].decode("utf-8", "replace") if c.isprintable()).strip()
            raise Refused(
                f"{self.target.name or self.target.address} does not take the file (HTTP {status}): {words[:160]}",
                "Is it the right file for it?",
                target=self.target.device,
            )
        self._judge(status, HttpCall(method=how.method, path=how.path), content)

    async def _upload(self, how: HttpLoad, image: Image, told: Callable[[int], None]) -> tuple[int, bytes]:
        body, size, kind = enclosed(how, image)
        fields = (("content-type", kind), *self._access.fields(how.method, how.path))
        return await self._link.upload(
            how.method, how.path, body, size, fields, seconds=how.seconds, proven=self._proven,
            told=lambda sent: told(min(sent, image.size)),
        )  # fmt: skip

    # Calls

    async def sign_in_as(self, credentials: Credentials) -> bool:
        """Tried apart from the session's own sign-in, on the same connection."""
        mine, self._access = self._access, Access(self._channel)
        try:
            if not await self._enter(credentials, self._proven):
                return False
            if self._access.kind in ("basic", "digest"):
                try:
                    await self._send(self._channel.identify, None, self._proven)
                    if probe := next(iter(self._channel.read.values()), None):
                        await self._send(probe, None, self._proven)
                except WrongCredentials:
                    return False
            return True
        except CodeWanted:
            return True  # that it says to whomever it lets in
        finally:
            self._access = mine

    async def _signed_in(self, proven: int | None) -> None:
        if self._access.open:
            return
        if self.target.trouble:
            raise KeyLost(
                f"{self.target.name}: {self.target.trouble}",
                "Enter its credentials again, or put the key of this data folder back. Nothing was sent to it.",
                target=self.target.device,
            )
        for credentials in self.logins:
            if await self._enter(credentials, proven):
                return
        raise self.refused_login()

    async def _enter(self, credentials: Credentials, proven: int | None) -> bool:
        """Whether it lets in with these, as far as a sign-in tells: Basic and Digest access tell it at the call."""
        how = self._channel.sign_in
        if how is None:
            return True
        if how.call is None:
            self._access.with_login(credentials)
            return True
        values = {"user": credentials.user, "password": credentials.password}
        try:
            status, content = await self._request(how.call, filled(how.call.body, values), (), proven)
            self._judge(status, how.call, content)
        except WrongCredentials:
            return False
        return self._access.taken(content, self._link.headers, self.target.address)

    async def _act(self, call: HttpCall, values: dict[str, Any] | None = None, *, body: Any = None) -> None:
        await self._call(call, values, body=body)
        self.acted = True

    async def _call(self, call: HttpCall, values: dict[str, Any] | None = None, *, body: Any = None,
                    proven: int | None = -1) -> Any:  # fmt: skip
        """One call, signed in; `proven` None asks who is there, on whatever connection."""
        on = self._proven if proven == -1 else proven
        made = call.model_copy(update={"path": filled(call.path, values or {})}) if values else call
        content = body if body is not None else filled(call.body, values or {})
        await self._signed_in(on)
        try:
            return await self._send(made, content, on)
        except WrongCredentials:
            if not self._access.kind:
                raise
        if self._access.kind in ("token", "cookie"):  # it ran out
            self._access.forget()
            await self._signed_in(on)
            return await self._send(made, content, on)
        for credentials in self.logins[1:]:
            self._access.forget()
            self._access.with_login(credentials)
            try:
                return await self._send(made, content, on)
            except WrongCredentials:
                continue
        self._access.forget()
        raise self.refused_login()

    async def _send(self, call: HttpCall, body: Any, proven: int | None) -> Any:
        fields = tuple(self._access.fields(call.method, call.path))
        status, content = await self._request(call, body, fields, proven)
        if status == 401 and self._access.challenged(self._link.headers):
            fields = tuple(self._access.fields(call.method, call.path))
            status, content = await self._request(call, body, fields, proven)
        self._judge(status, call, content)
        return self._tree(content)

    async def _request(
        self, call: HttpCall, body: Any, fields: tuple[tuple[str, str], ...], proven: int | None
    ) -> tuple[int, bytes]:
        form = self._channel.bodies
        data = encoded(body, form, call.root)
        head = (("content-type", TYPES[form]),) if data else ()
        return await self._link.request(call.method, call.path, data, (*head, *fields), proven=proven)

    def _tree(self, content: bytes) -> Any:
        return decoded(content, self._channel.told, self.target.address) if content.strip() else {}

    def _wants_code(self, status: int, content: bytes) -> bool:
        forces = self._channel.sign_in.forces if self._channel.sign_in else None
        if forces is None or status != forces.status or not content.strip():
            return False
        try:
            return str(get(self._tree(content), forces.at)) in forces.says
        except ProtocolError:
            return False

    def _judge(self, status: int, call: HttpCall, content: bytes) -> None:
        if status >= 400 and self._wants_code(status, content):
            raise CodeWanted(self.target.name or self.target.address, self.target.device)
        if status in (401, 403):
            raise WrongCredentials(f"{self.target.address} wants other credentials.", target=self.target.device)
        if status == 503:
            raise NoAnswer(f"{self.target.address} is not ready yet.", "Wait until it has started.", outcome="not_sent")
        if status >= 400:
            raise (Absent if status == 404 else Refused)(
                f"{self.target.name or self.target.address} refused {call.method} {call.path} with HTTP {status}.",
                "It was read back to see what it has now; compare and try again.",
                target=self.target.device,
            )
        if status >= 300:
            raise ProtocolError(f"{self.target.address} sends us elsewhere (HTTP {status}).")


def _state(item: Item, said: Any) -> str | None:
    """A point's state as a device says it, in the one form that all of Netloom compares: -6, -6.0 and "-6.00" are one
    level. None for what is no state."""
    if isinstance(said, bool):
        return "on" if said else "off"
    if not isinstance(said, str | int | float):
        return None
    if item.type.name in ("integer", "decimal"):
        try:
            number = float(said)
            whole = int(number) if number.is_integer() else number  # raises for what is not finite
            return item.state_of(item.type.canonical(whole))
        except (BadValue, ValueError, OverflowError):
            return str(said)
    return str(said)
