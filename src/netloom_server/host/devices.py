"""Devices, as the engine reads and writes them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from django.db import transaction
from django.db.models import Q

from netloom_core.addressing.bound import after_finding, taken
from netloom_core.documents.tree import ALL_READ, Document
from netloom_core.errors import NetloomError
from netloom_core.leases.giving import LeasePlan
from netloom_core.library.load import Library
from netloom_core.model.device import Identity, Target
from netloom_core.model.lock import Lock
from netloom_core.model.secrets import PREFIX
from netloom_server.base.crossing import in_records, moment
from netloom_server.base.gather import Gathered
from netloom_server.base.moments import latest
from netloom_server.installation.models import Credential, Device, Secret, Unit
from netloom_server.installation.services import decisions, fences, logins, records
from netloom_server.installation.services.fitting import unit_of
from netloom_server.installation.services.leasing import plan_of
from netloom_server.installation.services.lines import line_of
from netloom_server.installation.services.readings import Reading, save_readings
from netloom_server.routing.services import locks


def _follow_to_its_line(ident: str, address: str) -> None:
    device = Device.objects.select_related("line").get(id=ident)
    if device.line is not None and (line := line_of(device.line, address)).id != device.line_id:
        Device.objects.filter(id=ident).update(line=line)


class DeviceRecords:
    def __init__(self, library: Library) -> None:
        self._library = library
        self._readings = Gathered[Reading, None](lambda readings: save_readings(readings, library))

    async def targets(self, devices: Iterable[str]) -> Mapping[str, Target | NetloomError]:
        return await in_records(self._targets, list(devices))

    def _targets(self, devices: list[str]) -> dict[str, Target | NetloomError]:
        found: dict[str, Target | NetloomError] = {}
        networks, shared = records.networks_in_use(), logins.shared()
        for ident, device in records.with_access(devices).items():
            try:
                found[ident] = records.target_of(device, self._library, networks, shared)
            except NetloomError as error:
                found[ident] = error
        return found

    async def save_reading(
        self,
        device: str,
        documents: Mapping[str, Document],
        identity: Identity | None,
        time: float,
        unreadable: Mapping[str, str] = ALL_READ,
    ) -> None:
        await self._readings.do(Reading(device, documents, identity, moment(time), dict(unreadable)))

    async def save_trouble(self, device: str, message: str) -> None:
        await in_records(self._save_trouble, device, message)

    def _save_trouble(self, ident: str, message: str) -> None:
        device = Device.objects.filter(id=ident).first()
        if device is not None:
            unit = unit_of(device)
            unit.read_trouble = message[:400]
            unit.save(update_fields=["read_trouble"])

    async def save_place(self, device: str, address: str, speed: int, time: float) -> None:
        at = moment(time)

        def save() -> None:
            moved = Device.objects.filter(
                Q(placed=None) | Q(placed__lte=at) | Q(placed__gt=latest()), id=device
            ).update(address=address, speed=speed, status="known", reasons=[], seen=at, placed=at)
            if moved:
                _follow_to_its_line(device, address)
            unit = Unit.objects.filter(device=device).first() if moved else None
            if unit is not None and unit.bound:
                unit.bound = after_finding(unit.bound, address)
                unit.save(update_fields=["bound"])

        await in_records(transaction.atomic(save))

    async def bind(self, device: str, address: str, time: float) -> None:
        await in_records(self._bind, device, address, time)

    @transaction.atomic
    def _bind(self, ident: str, address: str, time: float) -> None:
        device = Device.objects.filter(id=ident).first()
        if device is None:
            return
        for other in Device.objects.filter(unit__bound__icontains=f'"{address}"').exclude(id=ident):
            meet = device.line and other.line and line_of(device.line, address) == line_of(other.line, address)
            if meet and other.unit and address in other.unit.bound:
                raise taken(address, other.name, ident, device.name)
        unit = unit_of(device)
        unit.bound = {**unit.bound, address: time}
        unit.save(update_fields=["bound"])

    async def save_secret(self, device: str, path: str, secret: str, *, user: str | None, level: str = "") -> None:
        await in_records(self._save_secret, device, path, secret, user, level)

    @transaction.atomic
    def _save_secret(self, ident: str, path: str, reference: str, user: str | None, level: str) -> None:
        device = Device.objects.filter(id=ident).first()
        kept = Secret.objects.filter(device=ident, id=reference.removeprefix(PREFIX)).first()
        if device is None or kept is None:
            return
        unit = unit_of(device)
        unit.secrets = {**unit.secrets, path: reference}
        unit.save(update_fields=["secrets"])
        if user is not None:
            Secret.objects.filter(device=ident, sent=level).update(sent=None)
            Credential.objects.update_or_create(
                device=device, level=level, defaults={"user": user, "secret": kept.secret, "set_by": kept.set_by}
            )
        records.recount(device, self._library)

    async def expect_login(self, device: str, level: str, secret: str) -> None:
        await in_records(self._expect_login, device, level, secret)

    @transaction.atomic
    def _expect_login(self, ident: str, level: str, reference: str) -> None:
        if reference:
            Secret.objects.filter(device=ident, id=reference.removeprefix(PREFIX)).update(sent=level)
        else:
            Secret.objects.filter(device=ident, sent=level).update(sent=None)

    async def fences(self, device: str) -> Mapping[str, str]:
        return await in_records(fences.of, device, self._library)

    async def locks(self, device: str) -> Sequence[Lock]:
        return await in_records(locks.of, device, self._library)

    async def forget_login(self, device: str) -> None:
        await in_records(self._forget_login, device)

    @transaction.atomic
    def _forget_login(self, ident: str) -> None:
        Credential.objects.filter(device=ident).delete()

    async def adopt(self, device: str, values: Mapping[str, Any]) -> None:
        await in_records(decisions.adopt, device, values, self._library)

    async def lease_plan(self, line: str) -> LeasePlan:
        return await in_records(plan_of, line, self._library)

    async def holder(self, device: str, address: str) -> str:
        return await in_records(self._holder, device, address)

    def _holder(self, ident: str, address: str) -> str:
        device = Device.objects.select_related("line").filter(id=ident).first()
        if device is None or device.line is None:
            return ""
        others = decisions.holders(self._library, line_of(device.line, address))
        return next((one.name for one in others if one.address == address and one.device != ident), "")
