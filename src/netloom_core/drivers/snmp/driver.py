"""SNMP: values of objects, as many in one answer as the profile says, set in one request and read back by the
engine.
"""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Awaitable, Callable, Hashable, Sequence
from contextlib import asynccontextmanager
from typing import Any, TypeVar

from netloom_core.drivers.bound import STARTUP, BoundDriver, Told, identity_from
from netloom_core.drivers.carrier import TOLD_S, Presence
from netloom_core.drivers.snmp.agent import Asked, ByCommunity, ByUser
from netloom_core.drivers.snmp.form import SnmpBinding, SnmpCall, SnmpChannel
from netloom_core.drivers.wire import Unreadable, as_number, as_text, canonical, from_number, from_text
from netloom_core.errors import NoAnswer, NobodyThere, ProtocolError, Refused, WrongCredentials
from netloom_core.links.shared_udp import SharedPort
from netloom_core.links.udp import UdpLink
from netloom_core.model.device import Credentials, Identity, Target
from netloom_core.model.snmp import SnmpUser
from netloom_core.profiles.profile import Bound, Profile
from netloom_core.protocols import snmp, snmp_notice
from netloom_core.protocols.xml import clean

Result = TypeVar("Result")
INTERFACES = 24  # whose addresses are asked for at once: one of them is enough to know it by
POLL_S = 0.5  # between looks where its notifications cannot be heard
GATHER_S = 0.2
NUMBERS = ("integer", "unsigned", "gauge", "ticks")


class SnmpDriver(BoundDriver):
    """An agent, asked by the first community or user that it answers. Writing takes the device's own login first."""

    def __init__(self, target: Target, profile: Profile, name: str, traps: SharedPort | None = None) -> None:
        super().__init__(target, profile, name)
        self._traps = traps
        channel = profile.channels[name]
        assert isinstance(channel, SnmpChannel)
        self._channel = channel
        self._link: UdpLink | None = None
        self._agents: list[Asked] | None = None
        self._agent: Asked | None = None
        self._unknown: list[Asked] = []  # to whom it is silent
        self._writer: Asked | None = None  # where another one than who reads may write
        self._presence = Presence(TOLD_S)

    @property
    def connection(self) -> Hashable | None:
        return self._presence.mark if self._agent is not None else None

    async def close(self) -> None:
        for agent in self._agents or ():
            if isinstance(agent, ByUser):
                agent.close()
        self._agents = self._agent = self._writer = None
        self._unknown = []
        if self._link is not None:
            self._link.__exit__()
            self._link = None

    def _all(self) -> list[Asked]:
        """Every way in, the one that a person gave for this device first."""
        if self._agents is None:
            self._link = self._link or UdpLink(self.target.line.source)
            access = self.target.snmp
            # A login with a user is one of v3 where the line knows such a user; else it is for something else.
            known = {user.name for user in access.users}
            own = [self._by(login) for login in self.target.logins() if not login.user or login.user in known]
            users = [self._user(user) for user in access.users]
            words = [login.password for login in self.target.logins() if not login.user]
            factory = [self._channel.community] if self._channel.community and not words else []
            others = [word for word in access.communities if word not in words]
            self._agents = [*own, *users, *(self._community(word) for word in [*factory, *others])]
        return self._agents

    def _community(self, word: str) -> ByCommunity:
        assert self._link is not None
        return ByCommunity(None, self._link, self.target.address, word, self._channel.port)

    def _user(self, user: SnmpUser) -> ByUser:
        return ByUser(None, self.target.line.source, self.target.address, user, self._channel.port)

    def _by(self, login: Credentials) -> Asked:
        """A login without a user's name is a community; one with it is a user of v3, as the line knows it or as
        usual.
        """
        if not login.user:
            return self._community(login.password)
        known = next((user for user in self.target.snmp.users if user.name == login.user), None)
        how = known or SnmpUser(login.user, "SHA-256", priv="AES")
        return self._user(SnmpUser(login.user, how.auth, login.password, how.priv, login.password if how.priv else ""))

    async def identify(self) -> Identity:
        oids = {fact: snmp.dotted(oid) for fact, oid in self._channel.identity.items()}
        wanted = tuple(oids.values()) or (snmp.SYS_DESCR,)
        answered = False
        for agent in [self._agent] if self._agent else self._all():
            response = await agent.get(wanted)
            if response is None:
                answered = answered or agent.denied
                continue
            self._agent = agent
            self._presence.lose()  # whoever it is now has to be judged anew
            self._presence.heard()
            values = dict(response.binds)
            told = {fact: _fact(values.get(oid)) for fact, oid in oids.items()}
            return identity_from({**self._channel.constant, **told, **await self._interfaces(agent)})
        self._agent = None
        if answered:
            raise WrongCredentials(
                f"{self.target.name} does not take that user of SNMP.", "Enter the right one under Address, Access."
            )
        raise NobodyThere(
            f"{self.target.name or self.target.address} does not answer by SNMP.",
            "An agent is silent to a community that it does not know: look at its line's access and at its power.",
            outcome="not_sent",
        )

    async def _interfaces(self, agent: Asked) -> dict[str, str]:
        """The MAC addresses of its first interfaces, where the profile has them as facts."""
        if not self._channel.interfaces:
            return {}
        response = await agent.bulk((snmp.IF_MAC,), INTERFACES)
        inside = len(snmp.IF_MAC)
        rows = (
            [(oid[inside:], value) for oid, value in response.binds if oid[:inside] == snmp.IF_MAC] if response else []
        )
        return snmp.mac_facts([(index, value) for index, value in rows if value is not None])

    async def _ask(self, ask: Callable[[Asked], Awaitable[snmp.Response | None]]) -> snmp.Response:
        self.need_proof()
        assert self._agent is not None  # without one there is no connection to prove anything on
        response = await ask(self._agent)
        if response is None:
            self._presence.lose()
            raise NoAnswer(
                f"{self.target.name} does not answer by SNMP any more.",
                "Look at its power and cable. Read it again before anything else is written.",
            )
        self._presence.heard()
        return response

    # Reading

    def tells_startup(self, bound: Bound) -> bool:
        return bool(bound.binding.startup)

    async def fetch(self, which: str, wanted: Sequence[Bound]) -> Told:
        oids = {
            bound.item.path: snmp.dotted(
                bound.binding.startup if which == STARTUP and bound.binding.startup else bound.binding.oid
            )
            for bound in wanted
        }
        values = await self._values(list(dict.fromkeys(oids.values())))
        told: dict[str, Any] = {}
        for bound in wanted:
            value = values.get(oids[bound.item.path])
            if value is None:
                continue
            try:
                told[bound.item.path] = value if isinstance(value, Unreadable) else self._value(bound, value)
            except Unreadable as error:
                told[bound.item.path] = error
        return told

    async def _values(self, oids: list[snmp.Oid]) -> dict[snmp.Oid, Any]:
        """As many at once as fit; an answer that would be too big is asked for in halves."""
        found: dict[snmp.Oid, Any] = {}
        waiting = [oids[at : at + self._channel.most] for at in range(0, len(oids), self._channel.most)]
        while waiting:
            some = waiting.pop(0)
            response = await self._ask(lambda agent, some=some: agent.get(tuple(some)))  # type: ignore[misc]
            if response.error == snmp.TOO_BIG and len(some) > 1:
                half = len(some) // 2
                waiting[:0] = [some[:half], some[half:]]
                continue
            if response.error == 0:
                found |= {oid: value for oid, value in response.binds if value is not None}
            elif len(some) > 1:
                waiting[:0] = [[oid] for oid in some]  # one of them is what it does not like
            elif response.error != snmp.NO_SUCH_NAME:
                why = snmp.ERRORS.get(response.error, response.error)
                found[some[0]] = Unreadable(f"it refuses to tell it: {why}")
        return found

    def _value(self, bound: Bound, value: bytes | int | snmp.Oid) -> Any:
        binding: SnmpBinding = bound.binding
        if isinstance(value, int):
            return from_number(bound.item, binding, value)
        if isinstance(value, tuple):
            return from_text(bound.item, binding, ".".join(map(str, value)))
        if binding.syntax == "ip":
            return from_text(bound.item, binding, ".".join(map(str, value)))
        if binding.syntax == "octets":
            return canonical(bound.item, value.hex(":") if bound.item.type.name == "mac" else value.hex())
        return from_text(bound.item, binding, value.decode("utf-8", "replace").rstrip("\x00"))

    @asynccontextmanager
    async def hints(self) -> AsyncIterator[Callable[[float], Awaitable[None]]]:
        """Its notifications. Where this computer may not listen there, it is asked now and then, as others are."""
        assert self._traps is not None
        async with self._traps.listening(self.target.address) as inbox:

            async def wait(seconds: float) -> None:
                loop = asyncio.get_running_loop()
                until = loop.time() + (seconds if self._traps and self._traps.trouble == "" else POLL_S)
                while (came := await inbox.next(until)) is not None:
                    if await self._noticed(*came):
                        # Several come at once where a cable is pulled; and nobody makes us look for ever.
                        await asyncio.sleep(GATHER_S)
                        while (more := await inbox.next(loop.time())) is not None:
                            await self._noticed(*more)
                        return

            yield wait

    async def _noticed(self, data: bytes, address: str, port: int) -> bool:
        assert self._traps is not None
        try:
            notice = snmp_notice.notice(data)
        except ProtocolError:
            return False
        if notice.answer:
            await self._traps.link.send(notice.answer, address, port)
        return True

    # Writing

    async def assign(self, values: Sequence[tuple[Bound, Any]]) -> None:
        """All of one request is taken, or none of it; what needs more than one says how far it came."""
        settings = [self._setting(bound, value) for bound, value in values]
        for at in range(0, len(settings), self._channel.most):
            await self._set(settings[at : at + self._channel.most])

    def _setting(self, bound: Bound, value: Any) -> snmp.Setting:
        binding: SnmpBinding = bound.binding
        if binding.syntax in NUMBERS:
            return snmp.dotted(binding.oid), binding.syntax, round(as_number(bound.item, binding, value))
        return snmp.dotted(binding.oid), binding.syntax, as_text(bound.item, binding, value)

    async def _set(self, settings: Sequence[snmp.Setting]) -> None:
        for _, kind, value in settings:
            snmp.made(kind, value)  # what cannot be said is told before anything is sent
        response = await self._ask(lambda agent: (self._writer or agent).set(settings))
        self.acted = True
        if response.error in snmp.NO_ACCESS:
            response = await self._by_another(settings) or response
        if response.error in snmp.NO_ACCESS:
            raise WrongCredentials(
                f"{self.target.name} lets nobody write with that community or user.",
                "Enter one that may write under Address, Access; nothing was changed on the device.",
            )
        if response.error:
            raise Refused(
                f"{self.target.name} refused that by SNMP: {snmp.ERRORS.get(response.error, response.error)}.",
                "It was read back to see what it has now.",
            )

    async def _by_another(self, settings: Sequence[snmp.Setting]) -> snmp.Response | None:
        """Who reads may not write, and nothing was changed by the no: the others that it knows are asked, and the one
        that writes is kept. None where none does."""
        tried = self._writer or self._agent
        for agent in [one for one in self._all() if one is not tried and one not in self._unknown]:
            if await agent.get((snmp.SYS_DESCR,)) is None:
                self._unknown.append(
                    agent
                )  # not waited for again, where this took so long that it has to be proven anew
                continue
            response = await self._ask(lambda _, agent=agent: agent.set(settings))  # type: ignore[misc]
            if response.error not in snmp.NO_ACCESS:
                self._writer = agent
                return response
        return None

    async def perform(self, calls: Sequence[Any]) -> None:
        for call in calls:
            if not isinstance(call, SnmpCall):
                raise ProtocolError("That is no call of SNMP.", outcome="not_sent")
            await self._set([(snmp.dotted(call.oid), call.syntax, call.value)])

    def went(self) -> None:
        self._presence.lose()

    async def sign_in_as(self, credentials: Credentials) -> bool:
        self._all()
        agent = self._by(credentials)
        try:
            return await agent.get((snmp.SYS_DESCR,)) is not None
        finally:
            if isinstance(agent, ByUser):
                agent.close()


def _fact(value: bytes | int | snmp.Oid | None) -> str:
    if isinstance(value, bytes):
        printable = all(32 <= byte < 127 or byte >= 128 for byte in value)
        return clean(value.decode("utf-8", "replace"), 120) if printable else snmp.mac(value) or value.hex()
    if isinstance(value, tuple):
        return ".".join(map(str, value))
    return "" if value is None else str(value)
