"""OSDP: settings in a parameter table, address and speed by COMSET, points by status commands.

What stands for a connection here is the unit's sequence of numbers: while it goes on without a
break and without eight seconds of silence (IEC 60839-11-5, 5.7: then a unit counts as offline),
it is the same unit.
"""

from __future__ import annotations

import asyncio
from collections.abc import Generator, Hashable, Sequence
from typing import TypeVar

from netloom_core.bus.owner import SerialOwner
from netloom_core.bus.turns import Priority
from netloom_core.documents.tree import Document, put
from netloom_core.drivers.abilities import Abilities, Ability
from netloom_core.errors import CannotDo, PromisedElsewhere, Unproven
from netloom_core.model.change import Change
from netloom_core.model.device import Identity, Target
from netloom_core.profiles.schema import OsdpReach, Profile, TableReach
from netloom_core.protocols.osdp import flows
from netloom_core.protocols.osdp.constants import Cmd, Rep
from netloom_core.protocols.osdp.messages import Command, PdId, Reply

OFFLINE_S = 8.0
Result = TypeVar("Result")


def abilities(profile: Profile) -> Abilities:
    reach = profile.reach.osdp
    if reach is None:
        return Abilities()
    can = {Ability.IDENTIFY, Ability.READ, Ability.READDRESS}
    if reach.table is not None:
        can |= {Ability.WRITE, Ability.STORE, Ability.RESTART}
    if profile.points:
        can.add(Ability.STATES)
    if any(point.drive for point in profile.points):
        can.add(Ability.DRIVE)
    return Abilities(frozenset(can), frozenset({"running", "startup"} if reach.table else {"running"}))


def identity_of(ident: PdId, maker: str = "", model: str = "") -> Identity:
    return Identity(
        maker=maker,
        model=model,
        serial=f"{ident.serial:08X}",
        firmware=ident.firmware,
        facts={"vendor": ident.vendor, "model_number": str(ident.model), "hardware": str(ident.version)},
    )


class OsdpDriver:
    def __init__(self, target: Target, profile: Profile, owner: SerialOwner) -> None:
        reach = profile.reach.osdp
        if reach is None:
            raise CannotDo(f"{profile.model} is not reached over OSDP.")
        self.target = target
        self._profile = profile
        self._reach: OsdpReach = reach
        self._owner = owner
        self._who = target.name
        self._priority = Priority.RUN
        self._address = int(target.address)
        self._speed = target.speed or target.line.speed
        self._trusted: Hashable | None = None
        self._heard = 0.0

    @property
    def connection(self) -> Hashable | None:
        if asyncio.get_running_loop().time() - self._heard > OFFLINE_S:
            return None
        talk = self._owner.session(self._address, self._speed)
        return talk.number, talk.restarts

    def trust(self, connection: Hashable | None) -> None:
        self._trusted = connection

    def speak_for(self, who: str, priority: int) -> None:
        self._who, self._priority = who, Priority(priority)

    async def close(self) -> None:
        """The owner keeps the port."""
        self._trusted = None

    async def _talk(self, flow: Generator[Command, Reply, Result]) -> Result:
        if self._trusted is None or self._trusted != self.connection:
            flow.close()
            raise Unproven(f"The talk with unit {self._address} has begun anew.", "It is asked again who it is.")
        return await self._converse(flow)

    async def _converse(self, flow: Generator[Command, Reply, Result]) -> Result:
        result = await self._owner.converse(self._address, self._speed, flow, who=self._who, priority=self._priority)
        self._heard = asyncio.get_running_loop().time()
        return result

    def _table(self) -> TableReach:
        if self._reach.table is None:
            raise CannotDo(f"{self._profile.model} has no settings of this kind.")
        return self._reach.table

    async def identify(self) -> Identity:
        ident = await self._converse(flows.identify())
        # Another vendor's or model's unit is not of this profile, whatever number it bears.
        ours = (ident.vendor, ident.model) == (self._reach.vendor, self._reach.model_number)
        if ours:  # a profile by the standard alone names nobody, so that each goes by its own numbers
            return identity_of(ident, self._profile.maker, self._profile.model)
        return identity_of(ident, f"vendor {ident.vendor}", f"model number {ident.model}")

    async def read(self, which: str) -> Document:
        """Address and speed are those at which it answers: what it would start with it does not tell."""
        document: Document = {}
        ids: dict[int, str] = {}
        for path, setting in self._profile.by_path.items():
            if setting.role == "address":
                put(document, path, self._address)
            elif setting.role == "speed":
                put(document, path, self._speed)
            elif setting.table is not None:
                ids[setting.table.id] = path
        if which == "startup" and self._reach.table is None:
            return {}
        if ids:
            table = self._table()
            values = await self._talk(flows.read_table(table.vendor, table.read, which, list(ids)))
            for ident, path in ids.items():
                put(document, path, values[ident])
        else:
            await self._talk(flows.identify())
        return document

    async def write(self, changes: Sequence[Change]) -> None:
        table = self._table()
        values: dict[int, int] = {}
        for change in changes:
            entry = self._profile.by_path[change.path].table
            if entry is None:
                raise CannotDo(f"{change.path} is changed by a change of address, not by writing.")
            values[entry.id] = int(change.after)
        await self._talk(flows.write_table(table.vendor, table.write, values))

    async def store(self) -> None:
        table = self._table()
        await self._talk(flows.act(table.vendor, table.store))

    async def restart(self) -> None:
        table = self._table()
        await self._talk(flows.act(table.vendor, table.restart))
        self._owner.forget(self._address, self._speed)

    async def readdress(self, changes: Sequence[Change]) -> None:
        address, speed = self._address, self._speed
        for change in changes:
            role = self._profile.by_path[change.path].role
            if role == "address":
                address = int(change.after)
            elif role == "speed":
                speed = int(change.after)
        try:
            promised = await self._talk(flows.assign_address(address, speed))
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
        result: dict[str, str] = {}
        for kind, command, reply in (("relay", Cmd.OSTAT, Rep.OSTATR), ("input", Cmd.ISTAT, Rep.ISTATR)):
            points = [point for point in self._profile.by_point.values() if point.kind == kind]
            if points:
                flags = await self._talk(flows.status(command, reply, len(points)))
                for point, flag in zip(points, flags, strict=False):
                    result[point.id] = point.states[1 if flag else 0]
        local = [point for point in self._profile.by_point.values() if point.kind in ("tamper", "power")]
        if local:
            tamper, power = await self._talk(flows.local_status())
            for point in local:
                result[point.id] = point.states[1 if (tamper if point.kind == "tamper" else power) else 0]
        return result

    async def drive(self, point: str, state: str) -> None:
        relays = [one.id for one in self._profile.by_point.values() if one.kind == "relay"]
        await self._talk(flows.set_output(relays.index(point), state == self._profile.by_point[point].states[1]))
