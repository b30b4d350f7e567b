"""ONVIF: operations over SOAP, each with a user name token made for it by the device's own clock."""

from __future__ import annotations

import contextlib
import re
import secrets
from collections.abc import AsyncIterator, Hashable, Mapping, Sequence
from contextlib import asynccontextmanager
from datetime import UTC, datetime, timedelta
from typing import Any
from urllib.parse import urlsplit
from xml.etree.ElementTree import Element

from netloom_core.documents.tree import MISSING, tokens
from netloom_core.drivers.bound import BoundDriver, Told, identity_from
from netloom_core.drivers.http.bodies import tree
from netloom_core.drivers.onvif.form import OnvifBinding, OnvifCall, OnvifChannel
from netloom_core.drivers.wire import Unreadable, as_text, canonical, from_text
from netloom_core.errors import Absent, CannotDo, KeyLost, NetloomError, ProtocolError, Refused, WrongCredentials
from netloom_core.links.http import HttpLink
from netloom_core.model.device import Credentials, Identity, Target
from netloom_core.profiles.profile import Bound, Profile
from netloom_core.protocols import http_auth, onvif

SOAP = ("content-type", "application/soap+xml; charset=utf-8")
NAMESPACES = {"device": onvif.DEVICE, "io": onvif.DEVICE_IO, "events": onvif.EVENTS}
LEASE = "PT60S"  # how long a device keeps events for one that does not ask any more
PULL = "PT1S"
FIRST_PULLS = 2  # until it has told how everything is now
_NOW = re.compile(r"\{now:([^}]*)\}")


class OnvifDriver(BoundDriver):
    def __init__(self, target: Target, profile: Profile, name: str, link: HttpLink) -> None:
        super().__init__(target, profile, name)
        channel = profile.channels[name]
        assert isinstance(channel, OnvifChannel)
        self._channel = channel
        self._link = link
        self._login: Credentials | None = None
        self._off: timedelta | None = None  # how far the device's clock is ahead
        self._challenge: http_auth.Challenge | None = None
        self._eventless = False
        self._paths: dict[str, str] | None = None  # of its services, as it tells them

    @property
    def connection(self) -> Hashable | None:
        return self._link.connection if self._link.open or self._link.just_closed else None

    @property
    def user(self) -> str:
        return self._login.user if self._login is not None else ""

    async def close(self) -> None:
        self._link.close()
        self._off = self._challenge = self._login = self._paths = None

    async def identify(self) -> Identity:
        """Without a user where the device tells it so; else with one, of whom only a digest goes out."""
        call = OnvifCall(operation="GetDeviceInformation")
        logins: list[Credentials | None] = [None, *self.target.logins()]
        if self._login is not None:
            logins = [self._login, *(one for one in logins if one != self._login)]
        for login in logins:
            self._login = login
            try:
                answer = await self._send(call, {}, None)
            except WrongCredentials:
                continue
            told = {fact: str(answer.get(name, "")) for name, fact in onvif.FIELDS.items() if isinstance(answer, dict)}
            return identity_from(told)
        self._login = None
        if self.target.trouble:
            raise KeyLost(f"{self.target.name}: {self.target.trouble}", "Enter its credentials again.")
        raise self.refused_login()

    async def fetch(self, which: str, wanted: Sequence[Bound]) -> Told:
        """Each different operation once."""
        answers: dict[str, Any] = {}
        told: dict[str, Any] = {}
        for bound in wanted:
            binding: OnvifBinding = bound.binding
            assert binding.get is not None
            key = binding.get.model_dump_json()
            if key not in answers:
                answers[key] = await self._asked(binding.get)
            answer = answers[key]
            if isinstance(answer, Unreadable):
                told[bound.item.path] = answer
            elif (value := at(answer, binding.where)) is not MISSING:
                told[bound.item.path] = _value(bound, value)
        return told

    async def _asked(self, call: OnvifCall) -> Any:
        try:
            return await self._call(call, {})
        except Absent:
            return {}
        except Refused as error:
            return Unreadable(error.message)

    async def assign(self, values: Sequence[tuple[Bound, Any]]) -> None:
        """One operation for each; the restart that one of them asks for (SetNetworkInterfaces) comes after all."""
        restart = False
        for bound, value in values:
            binding: OnvifBinding = bound.binding
            assert binding.set is not None
            now: Any = {}
            if binding.get is not None and "{now:" in str(binding.set.body):
                now = await self._call(binding.get, {})
            word = as_text(bound.item, binding, value)
            body = _filled(binding.set.body, word, now)
            if bound.item.role == "password":
                body = await self._as_user(body)
            answer = await self._call(binding.set, body)
            self.acted = True
            restart = restart or (isinstance(answer, Mapping) and answer.get("RebootNeeded") == "true")
        if restart:
            await self._call(OnvifCall(operation="SystemReboot"), {})

    async def _as_user(self, body: Any) -> Any:
        """With the user as whom it is signed in, who keeps the level that he has (clause 8.4.7)."""
        user = self._login.user if self._login else ""
        told = await self._call(OnvifCall(operation="GetUsers"), {})
        users = told.get("User", []) if isinstance(told, dict) else []
        users = users if isinstance(users, list) else [users]
        mine = next((one for one in users if isinstance(one, dict) and one.get("Username") == user), None)
        if mine is None:
            raise Refused(f"It does not tell the level of {user!r}, which is needed to set that.", outcome="not_sent")
        return _named(body, {"user": user, "level": str(mine.get("UserLevel", ""))})

    # States that events tell

    async def states(self) -> dict[str, str]:
        states = await super().states()
        if not self._told_by_events or self._eventless:
            return states
        try:
            async with self._pull_point() as (path, points):
                found: dict[str, str] = {}
                for _ in range(FIRST_PULLS):
                    found |= await self._pulled(path, points)
                    if len(found) >= len(points):
                        break
        except (Refused, ProtocolError):
            self._eventless = True  # many have no events: what they tell otherwise is told, the rest is not known
            return states
        return {**states, **found}

    async def watch(self) -> AsyncIterator[dict[str, str]]:
        await self._send(OnvifCall(operation="GetDeviceInformation"), {}, self._proven)  # signed in before it lasts
        try:
            async with self._pull_point() as (path, points):
                while True:
                    if states := await self._pulled(path, points):
                        yield states
        except (Refused, ProtocolError) as error:
            raise CannotDo(f"{self.target.name} does not tell changes by itself: {error.message}") from error

    @property
    def _told_by_events(self) -> list[Bound]:
        return [one for one in self.profile.bound(self.name) if one.item.live and one.binding.topic]

    @asynccontextmanager
    async def _pull_point(self) -> AsyncIterator[tuple[str, dict[tuple[str, str], Bound]]]:
        """A place where events gather for us: its path, and which point is told by which topic and token."""
        points: dict[tuple[str, str], Bound] = {}
        answers: dict[str, Any] = {}
        for bound in self._told_by_events:
            binding: OnvifBinding = bound.binding
            assert binding.get is not None
            key = binding.get.model_dump_json()
            if key not in answers:
                answers[key] = await self._asked(binding.get)
            token = MISSING if isinstance(answers[key], Unreadable) else at(answers[key], binding.source)
            if isinstance(token, str):
                points[(binding.topic, token)] = bound
        call = OnvifCall(operation="CreatePullPointSubscription", service="events")
        made = await self._call(call, {"InitialTerminationTime": LEASE})
        told = at(made, "/SubscriptionReference/Address")
        if not isinstance(told, str):
            raise ProtocolError(f"{self.target.address} does not tell where its events are.")
        path = _path_of(told)
        try:
            yield path, points
        finally:
            with contextlib.suppress(NetloomError):  # it forgets us by itself
                await self._event_call(path, "Unsubscribe", {}, onvif.NOTIFICATION)

    async def _pulled(self, path: str, points: Mapping[tuple[str, str], Bound]) -> dict[str, str]:
        """States by point, of the events that came; empty after a while of none."""
        answer = await self._event_call(path, "PullMessages", {"Timeout": PULL, "MessageLimit": "100"}, onvif.EVENTS)
        told: dict[str, Any] = {}
        for notice in onvif.notices(answer):
            for token in notice.source.values():
                bound = points.get((notice.topic, token))
                value = notice.data.get(bound.binding.state) if bound else None
                if bound is not None and value is not None:
                    told[bound.item.path] = _value(bound, value)
        return self.states_of(told)

    async def _event_call(self, path: str, operation: str, body: Mapping[str, Any], namespace: str) -> Element:
        token = await self._token(self._proven) if self._login is not None else None
        to = f"http://{self.target.address}:{self._channel.port}{path}"
        data = onvif.request(operation, body, namespace, token, to)
        status, content = await self._request(path, data, self._proven)
        if status == 401:
            raise WrongCredentials(f"{self.target.address} wants a user name and a password.")
        if not content:
            raise ProtocolError(f"{self.target.address} answers HTTP {status} to {operation}.")
        return onvif.response(content, operation)

    async def perform(self, calls: Sequence[Any]) -> None:
        for call in calls:
            await self._call(call, call.body)
            self.acted = True

    def went(self) -> None:
        self._link.close()

    async def sign_in_as(self, credentials: Credentials) -> bool:
        mine, self._login = self._login, credentials
        try:
            # Some tell who they are to anybody, and who has an account to none but those that have.
            await self._send(OnvifCall(operation="GetUsers"), {}, self._proven)
        except WrongCredentials:
            return False
        finally:
            self._login = mine
        return True

    @property
    def _proven(self) -> int:
        return self._trusted if isinstance(self._trusted, int) else 0

    async def _call(self, call: OnvifCall, body: Mapping[str, Any]) -> Any:
        try:
            return await self._send(call, body or call.body, self._proven)
        except WrongCredentials:
            refused = self._login
            if not self.target.logins():
                raise
        for login in self.target.logins():
            if login == refused:
                continue
            self._login = login
            try:
                return await self._send(call, body or call.body, self._proven)
            except WrongCredentials:
                continue
        self._login = None
        raise WrongCredentials(
            f"{self.target.name} lets nobody do {call.operation} with that user.",
            "Enter one that may, on the bench under Address, Access; nothing was changed on the device.",
        )

    async def _send(self, call: OnvifCall, body: Mapping[str, Any], proven: int | None) -> Any:
        token = await self._token(proven) if self._login is not None else None
        path = await self._path(call.service, proven)
        to = f"http://{self.target.address}:{self._channel.port}{path}"
        data = onvif.request(call.operation, body, NAMESPACES[call.service], token, to)
        status, content = await self._request(path, data, proven)
        if status == 401:
            raise WrongCredentials(f"{self.target.address} wants a user name and a password.")
        if not content and status >= 400:
            raise ProtocolError(f"{self.target.address} answers HTTP {status} to {call.operation}.")
        return tree(onvif.response(content, call.operation))

    async def _path(self, service: str, proven: int | None) -> str:
        """Where a service is: as the device tells, else as the profile says."""
        usual = self._channel.paths[service]  # type: ignore[index]
        if service == "device":
            return usual
        if self._paths is None:
            self._paths = {}
            token = await self._token(proven) if self._login is not None else None
            asked = onvif.request("GetServices", {"IncludeCapability": "false"}, token=token)
            _, content = await self._request(self._channel.paths["device"], asked, proven)
            with contextlib.suppress(Refused, ProtocolError, WrongCredentials):  # older ones do not have it
                self._paths = onvif.services(onvif.response(content, "GetServices"))
        told = self._paths.get(NAMESPACES[service], "")
        return _path_of(told) if told else usual

    async def _request(self, path: str, data: bytes, proven: int | None) -> tuple[int, bytes]:
        """Some want Digest access of HTTP besides, or instead of, the token."""
        login = self._login
        for _ in range(2):
            fields = [SOAP]
            if self._challenge is not None and login is not None:
                word = http_auth.digest(
                    self._challenge, login.user, login.password, "POST", path, cnonce=secrets.token_hex(8)
                )
                fields.append(("authorization", word))
            status, content = await self._link.request("POST", path, data, tuple(fields), proven=proven)
            if status != 401 or login is None or len(fields) > 1:
                break
            offered = http_auth.challenges(self._link.headers)
            if not offered:
                break
            self._challenge = offered[0]
        if status == 401:
            self._challenge = None
        return status, content

    async def _token(self, proven: int | None) -> onvif.Token:
        assert self._login is not None
        if self._off is None:
            self._off = await self._clock(proven)
        created = (datetime.now(UTC) + self._off).strftime("%Y-%m-%dT%H:%M:%SZ")
        return onvif.Token(self._login.user, self._login.password, secrets.token_bytes(16), created)

    async def _clock(self, proven: int | None) -> timedelta:
        """Nothing where it does not tell: then it is taken to go right."""
        path = self._channel.paths["device"]
        try:
            status, content = await self._link.request(
                "POST", path, onvif.get_system_date_and_time(), (SOAP,), proven=proven
            )
            if status != 200:
                return timedelta()
            return onvif.parse_system_date_and_time(content) - datetime.now(UTC)
        except NetloomError as error:
            if error.code in ("no-answer", "unproven"):
                raise
            return timedelta()


def at(answer: Any, pointer: str) -> Any:
    """The value there, or MISSING. One element stands for a list of one."""
    here = answer
    for part in tokens(pointer):
        if isinstance(here, dict) and part in here:
            here = here[part]
        elif isinstance(here, list) and part.isdecimal() and int(part) < len(here):
            here = here[int(part)]
        elif part == "0" and not isinstance(here, list):
            continue
        else:
            return MISSING
    if isinstance(here, dict) and "#text" in here:
        return here["#text"]
    return here


def _value(bound: Bound, value: Any) -> Any:
    try:
        return from_text(bound.item, bound.binding, value) if isinstance(value, str) else canonical(bound.item, value)
    except Unreadable as error:
        return error


def _filled(body: Any, word: str, now: Any) -> Any:
    """What is set, with the value and with what stands there now. Raises Refused where the latter is not to be had."""
    if isinstance(body, Mapping):
        return {name: _filled(value, word, now) for name, value in body.items()}
    if isinstance(body, list):
        return [_filled(value, word, now) for value in body]
    if not isinstance(body, str):
        return body

    def told(found: re.Match[str]) -> str:
        value = at(now, found[1])
        if value is MISSING or not isinstance(value, str):
            raise Refused(f"It does not tell {found[1]}, which is needed to set that.", outcome="not_sent")
        return value

    return _NOW.sub(told, body).replace("{value}", word)


def _path_of(url: str) -> str:
    """Path and query of what a device tells as an address of its own: it is asked where it was proven, nowhere else."""
    try:
        split = urlsplit(url)
    except ValueError as error:
        raise ProtocolError(f"{url[:80]!r} is no address.") from error
    path = (split.path or "/") + (f"?{split.query}" if split.query else "")
    if not path.isascii() or not path.isprintable() or " " in path:
        raise ProtocolError("The device tells an address that is none.")
    return path


def _named(body: Any, words: Mapping[str, str]) -> Any:
    if isinstance(body, Mapping):
        return {name: _named(value, words) for name, value in body.items()}
    if isinstance(body, str):
        return words.get(body.strip("{}"), body) if body.startswith("{") else body
    return body
