"""OSDP: settings in a parameter table, address and speed by COMSET, points by status commands.

What stands for a connection here is the unit's sequence of numbers: while it goes on without a
break and without eight seconds of silence (IEC 60839-11-5, 5.7: then a unit counts as offline),
it is the same unit.
"""

from __future__ import annotations

import asyncio
import secrets
from collections.abc import Callable, Generator, Hashable, Sequence
from typing import Any, TypeVar

from netloom_core.bus.owner import SerialOwner
from netloom_core.documents.tree import Document, put
from netloom_core.drivers.bound import STARTUP, BoundDriver, Told
from netloom_core.drivers.carrier import OFFLINE_S, Presence
from netloom_core.drivers.osdp.form import OsdpBinding, OsdpChannel, Table
from netloom_core.drivers.osdp.loading import load
from netloom_core.drivers.wire import Unreadable, Wire, from_number
from netloom_core.errors import (
    CannotDo,
    OutOfRange,
    OutOfStep,
    PromisedElsewhere,
    Refused,
    Unproven,
    WantsEncryption,
    WrongCredentials,
)
from netloom_core.model.change import Change
from netloom_core.model.device import Credentials, Identity, Target
from netloom_core.model.image import Image
from netloom_core.profiles.profile import Bound, Profile
from netloom_core.protocols.osdp import flows, messages
from netloom_core.protocols.osdp.constants import REPLY_TIMEOUT_S, Cmd, Rep
from netloom_core.protocols.osdp.messages import Command, PdId, Reply
from netloom_core.protocols.osdp.secure import DEFAULT_KEY, KEY_BYTES, Channel

HANDSHAKES = 3
Result = TypeVar("Result")
PLAIN = Wire()  # a parameter table holds the values themselves


def identity_of(ident: PdId, maker: str = "", model: str = "") -> Identity:
    return Identity(
        maker=maker,
        model=model,
        serial=f"{ident.serial:08X}",
        firmware=ident.firmware,
        facts={"vendor": ident.vendor, "model_number": str(ident.model), "hardware": str(ident.version)},
    )


def key_of(login: Credentials) -> bytes | None:
    """A base key as people write it: 32 hexadecimal digits, blanks as they like."""
    bare = "".join(login.password.split()).replace(":", "")
    try:
        key = bytes.fromhex(bare)
    except ValueError:
        return None
    return key if len(key) == KEY_BYTES else None


class OsdpDriver(BoundDriver):
    def __init__(self, target: Target, profile: Profile, name: str, owner: SerialOwner) -> None:
        super().__init__(target, profile, name)
        channel = profile.channels[name]
        assert isinstance(channel, OsdpChannel)
        self._channel = channel
        self._owner = owner
        self._address = int(target.address)
        self._speed = target.speed or target.line.speed
        self._presence = Presence(OFFLINE_S)
        self._set_keys: list[bytes] = []  # that were set on this talk: from then on nothing else opens it

    @property
    def connection(self) -> Hashable | None:
        if self._presence.mark is None:
            return None
        talk = self._owner.session(self._address, self._speed)
        return talk.number, talk.restarts

    async def close(self) -> None:
        """The owner keeps the port."""
        self._trusted = None

    async def _talk(self, flow: Generator[Command, Reply, Result]) -> Result:
        try:
            self.need_proof()
        except Unproven:
            flow.close()
            raise
        return await self._converse(flow)

    async def _act(self, flow: Generator[Command, Reply, Result]) -> Result:
        def acting() -> Generator[Command, Reply, Result]:
            self.acted = True  # here the line is had, and its port is open
            return (yield from flow)

        before = self.acted
        try:
            return await self._talk(acting())
        except Unproven as error:
            self.acted = before or error.outcome != "not_sent"  # it did nothing of this, as far as that is known
            raise

    async def _converse(self, flow: Generator[Command, Reply, Result]) -> Result:
        result = await self._owner.converse(self._address, self._speed, flow, who=self._who, priority=self._priority)
        self._presence.heard()
        return result

    async def _secured(self) -> None:
        """The secure channel, where there is a key to it; without one it is talked to in the clear, if it does."""
        talk = self._owner.session(self._address, self._speed)
        keys = self._keys()
        if self._channel.secure == "no" or talk.channel is not None or not keys:
            return
        refused: WrongCredentials | None = None
        for key in keys:
            try:
                await self._opened(key)
            except WrongCredentials as error:
                refused = error
            except WantsEncryption:
                if self._channel.secure == "must":
                    raise
                return  # it knows no such thing
            except Refused:
                if self._channel.secure == "must":
                    raise
                return
            else:
                return
        raise refused or WrongCredentials(f"{self.target.name} has another key.")

    async def _opened(self, key: bytes) -> None:
        """Raises WrongCredentials, and WantsEncryption where it knows no such channel, or none with this kind of key.

        An answer that comes late, to the challenge before, fits no key, and what is made of it suits no unit: that is
        believed where it happens again when everything before was answered, or never will be.
        """
        for left in reversed(range(HANDSHAKES)):
            channel = Channel(key, secrets.token_bytes(8))
            talk = self._owner.session(self._address, self._speed)
            talk.restart()  # a handshake begins the talk anew
            try:
                await self._converse(flows.open_channel(channel))
            except WantsEncryption as error:
                if not channel.challenged:
                    raise
                if not left:
                    text = f"{self.target.name} began its secure channel, and did not finish it."
                    raise OutOfStep(text, "Perhaps it answers too late just now. Ask it again.") from error
            except WrongCredentials:
                if not left:
                    raise
            else:
                talk.channel = channel
                return
            await self._owner.answered(self._address, self._speed)
            await asyncio.sleep(REPLY_TIMEOUT_S)

    def _keys(self) -> list[bytes]:
        given = [key for login in self.logins if (key := key_of(login)) is not None]
        keys = [*self._set_keys, *given]
        if not keys and self._channel.default_key:
            keys.append(DEFAULT_KEY)
        return keys

    async def sign_in_as(self, credentials: Credentials) -> bool:
        """Whether the secure channel opens with that key."""
        key = key_of(credentials)
        if key is None:
            return False
        try:
            await self._opened(key)
        except WrongCredentials:
            return False
        finally:
            self._owner.session(self._address, self._speed).restart()
        return True

    def _table(self) -> Table:
        if self._channel.table is None:
            raise CannotDo(f"{self.profile.model} has no settings of this kind.")
        return self._channel.table

    async def identify(self) -> Identity:
        try:
            await self._secured()
            ident = await self._converse(flows.identify())
        except Unproven:  # it left its secure channel since it was last asked: that is begun anew, once
            await self._secured()
            ident = await self._converse(flows.identify())
        # Another vendor's or model's unit is not of this profile, whatever number it bears.
        ours = (ident.vendor, ident.model) == (self._channel.vendor, self._channel.model_number)
        if ours:  # a profile by the standard alone names nobody, so that each goes by its own numbers
            return identity_of(ident, self.profile.maker, self.profile.model)
        return identity_of(ident, f"vendor {ident.vendor}", f"model number {ident.model}")

    async def read(self, which: str) -> Document:
        """Address and speed are those at which it answers: what it would start with it does not tell."""
        if which == STARTUP and self._channel.table is None:
            return {}
        told = dict(await self.fetch(which, [b for b in self.profile.bound(self.name) if b.item.decided]))
        document = self.document(told)
        for path, item in self.profile.by_path.items():
            if item.role in ("address", "speed"):
                put(document, path, self._address if item.role == "address" else self._speed)
        if not told:
            await self._talk(flows.identify())
        return document

    async def fetch(self, which: str, wanted: Sequence[Bound]) -> Told:
        entries = {b.binding.entry: b.item for b in wanted if b.binding.entry is not None}
        if not entries:
            return {}
        table = self._table()
        values = await self._talk(flows.read_table(table.vendor, table.read, which, list(entries)))
        told: dict[str, Any] = {}
        for entry, item in entries.items():
            try:
                told[item.path] = from_number(item, PLAIN, values[entry])
            except Unreadable as error:
                told[item.path] = error
        return told

    async def assign(self, values: Sequence[tuple[Bound, Any]]) -> None:
        entries: dict[int, int] = {}
        for bound, value in values:
            binding: OsdpBinding = bound.binding
            if binding.key:
                await self._new_key(str(value))
            elif binding.lamp is not None:
                await self._act(flows.tell(messages.lamp(binding.reader, binding.lamp, str(value))))
            elif binding.sounder:
                on = value not in ("off", False)
                await self._act(flows.tell(messages.sounder(binding.reader, 5 if on else 0, 5 if on else 0, 1)))
            elif binding.text:
                await self._act(flows.tell(messages.text(binding.reader, str(value))))
            elif not bound.item.decided and binding.output is not None:
                await self._act(flows.set_output(binding.output, value == bound.item.states[1]))
            elif binding.entry is not None:
                entries[binding.entry] = int(value)
            else:
                raise CannotDo(f"{bound.item.path} is changed by a change of address, not by writing.")
        if entries:
            table = self._table()
            await self._act(flows.write_table(table.vendor, table.write, entries))

    async def _new_key(self, text: str) -> None:
        """Only on the secure channel: in the clear it would be told to everybody on the bus."""
        key = key_of(Credentials("", text))
        if key is None:
            raise OutOfRange("A key of the secure channel is 32 hexadecimal digits.", "Give such a one.")
        if self._owner.session(self._address, self._speed).channel is None:
            raise CannotDo(
                f"{self.target.name} is talked to in the clear: its key is not said there.",
                "Enter the key that it has now under Address, Access; then write the new one.",
            )
        await self._act(flows.set_key(key))
        self._set_keys.insert(0, key)
        self._owner.session(self._address, self._speed).restart()

    async def perform(self, calls: Sequence[Any]) -> None:
        for call in calls:
            await self._act(flows.act(self._table().vendor, call.operation))

    async def load(self, image: Image, told: Callable[[int], None]) -> None:
        """Each fragment has a turn of its own: the others on the bus are heard meanwhile."""
        how = self._channel.load
        assert how is not None
        await load(self._act, how, image, self.target.name, told)

    def went(self) -> None:
        self._owner.forget(self._address, self._speed)

    async def readdress(self, changes: Sequence[Change]) -> None:
        address, speed = self._address, self._speed
        for change in changes:
            role = self.profile.by_path[change.path].role
            if role == "address":
                address = int(change.after)
            elif role == "speed":
                speed = int(change.after)
        try:
            promised = await self._act(flows.assign_address(address, speed))
        finally:
            self._owner.forget(self._address, self._speed)
            self._owner.forget(address, speed)
        if (promised.address, promised.speed) != (address, speed):
            raise PromisedElsewhere(
                f"{self.target.name} answers that it will have address {promised.address} at {promised.speed} baud, "
                f"not {address} at {speed}.",
                "It may not be able to; choose another speed.",
                address=str(promised.address),
                speed=promised.speed,
            )

    async def states(self) -> dict[str, str]:
        bound = [(b.item, b.binding) for b in self.profile.bound(self.name) if b.item.live]
        result: dict[str, str] = {}
        for field, command, reply in (("output", Cmd.OSTAT, Rep.OSTATR), ("input", Cmd.ISTAT, Rep.ISTATR)):
            points = [(item, number) for item, b in bound if (number := getattr(b, field)) is not None]
            if points:
                flags = await self._talk(flows.status(command, reply, max(number for _, number in points) + 1))
                for item, number in points:
                    if number < len(flags):
                        result[item.id] = item.states[1 if flags[number] else 0]
        local = [(item, b.local) for item, b in bound if b.local]
        if local:
            tamper, power = await self._talk(flows.local_status())
            for item, which in local:
                result[item.id] = item.states[1 if (tamper if which == "tamper" else power) else 0]
        return result
