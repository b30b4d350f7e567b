"""OSDP: settings in a parameter table, address and speed by COMSET, points by status commands."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Generator, Sequence
from typing import TypeVar

from netloom_core.bus.owner import SerialOwner
from netloom_core.errors import ProtocolError, Refused
from netloom_core.model.change import Change
from netloom_core.model.device import Identity, Target
from netloom_core.plan.documents import Document, put
from netloom_core.profiles.schema import OsdpReach, Profile, TableReach
from netloom_core.protocols.osdp import flows
from netloom_core.protocols.osdp.constants import Cmd, Rep
from netloom_core.protocols.osdp.messages import Command, PdId, Reply

WATCH_PERIOD_S = 0.5
Result = TypeVar("Result")


def identity_of(ident: PdId, maker: str = "", model: str = "") -> Identity:
    return Identity(
        maker=maker,
        model=model,
        serial=f"{ident.serial:08X}",
        firmware=ident.firmware,
        facts={"vendor": ident.vendor, "model_number": str(ident.model), "hardware": str(ident.version)},
    )


class OsdpDriver:
    def __init__(self, target: Target, profile: Profile, owner: SerialOwner, who: str = "") -> None:
        reach = profile.reach.osdp
        if reach is None:
            raise ProtocolError(f"{profile.model} is not reached over OSDP.")
        self.target = target
        self._profile = profile
        self._reach: OsdpReach = reach
        self._owner = owner
        self._who = who or target.name
        self._address = int(target.address)
        self._speed = target.speed or target.line.speed

    async def close(self) -> None:
        """The owner keeps the port."""

    async def _talk(self, flow: Generator[Command, Reply, Result]) -> Result:
        return await self._owner.converse(self._address, self._speed, flow, who=self._who)

    def _table(self) -> TableReach:
        if self._reach.table is None:
            raise Refused(f"{self._profile.model} has no settings of this kind.")
        return self._reach.table

    async def identify(self) -> Identity:
        return identity_of(await self._talk(flows.identify()), self._profile.maker, self._profile.model)

    async def read(self, which: str) -> Document:
        document: Document = {}
        ids: dict[int, str] = {}
        for path, setting in self._profile.by_path.items():
            if setting.role == "address":
                put(document, path, self._address)
            elif setting.role == "speed":
                put(document, path, self._speed)
            elif setting.table is not None:
                ids[setting.table.id] = path
        if ids:
            table = self._table()
            values = await self._talk(flows.read_table(table.vendor, table.read, which, list(ids)))
            for ident, path in ids.items():
                put(document, path, values[ident])
        return document

    async def write(self, changes: Sequence[Change]) -> None:
        table = self._table()
        values: dict[int, int] = {}
        for change in changes:
            entry = self._profile.by_path[change.path].table
            if entry is None:
                raise Refused(f"{change.path} is changed by a change of address, not by writing.")
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
        promised = await self._talk(flows.assign_address(address, speed))
        self._owner.forget(self._address, self._speed)
        self._owner.forget(address, speed)
        if (promised.address, promised.speed) != (address, speed):
            raise Refused(
                f"{self.target.name} answers that it will have address {promised.address} at {promised.speed} baud, "
                f"not {address} at {speed}.",
                "It may not be able to; choose another speed.",
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

    async def watch(self) -> AsyncIterator[dict[str, str]]:
        """Polled, as the standard's control panel does; only changes are given."""
        last: dict[str, str] = {}
        while True:
            now = await self.states()
            changed = {name: state for name, state in now.items() if last.get(name) != state}
            if changed:
                yield changed
            last = now
            await asyncio.sleep(WATCH_PERIOD_S)
