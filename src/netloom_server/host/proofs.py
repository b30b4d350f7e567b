"""Backups and proofs, as the engine reads and writes them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from django.utils import timezone

from netloom_core.backup.verify import Evidence, Proof
from netloom_core.library.load import Library
from netloom_server.backups.services.backups import Keep, keep_backups
from netloom_server.base.crossing import in_records, moment
from netloom_server.base.gather import Gathered
from netloom_server.installation.models import Device
from netloom_server.installation.services import records


class ProofRecords:
    def __init__(self, library: Library) -> None:
        self._library = library
        self._keep = Gathered[Keep, str](lambda wanted: keep_backups(wanted, library))

    async def save_backup(self, device: str, run: str, by: str, *, baseline: bool) -> str:
        return await self._keep.do(Keep(device, run, by, baseline))

    async def evidence(self, devices: Sequence[str]) -> Mapping[str, Evidence]:
        def all_of_them() -> dict[str, Evidence]:
            found = Device.objects.in_bulk(list(devices))
            return records.evidence_of_all(list(found.values()), self._library)

        return await in_records(all_of_them)

    async def save_proof(self, device: str, proof: Proof) -> None:
        """It is as old as what it is made of: a run that was cut off may be concluded long after it read."""

        def save() -> None:
            proven = moment(proof.read) if proof.read else timezone.now()
            name = Device.objects.filter(id=device).values_list("name", flat=True).first() or ""
            Device.objects.filter(id=device).update(proof=proof.as_dict(device, name), proven=proven)

        await in_records(save)
