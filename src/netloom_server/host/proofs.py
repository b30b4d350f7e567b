"""Backups and proofs, as the engine reads and writes them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from django.utils import timezone

from netloom_core.backup.verify import Evidence, Proof
from netloom_core.profiles.load import Library
from netloom_server.backups.services.backups import keep_backup
from netloom_server.base.crossing import in_records
from netloom_server.installation.models import Device
from netloom_server.installation.services import records
from netloom_server.runs.models import Run


class ProofRecords:
    def __init__(self, library: Library) -> None:
        self._library = library

    async def save_backup(self, device: str, run: str, *, baseline: bool) -> str:
        def keep() -> str:
            by = Run.objects.filter(id=run).values_list("by", flat=True).first() or ""
            return keep_backup(device, run, by, baseline, self._library)

        return await in_records(keep)

    async def evidence(self, devices: Sequence[str]) -> Mapping[str, Evidence]:
        def all_of_them() -> dict[str, Evidence]:
            found = Device.objects.in_bulk(list(devices))
            return {ident: records.evidence_of(device, self._library) for ident, device in found.items()}

        return await in_records(all_of_them)

    async def save_proof(self, device: str, proof: Proof) -> None:
        def save() -> None:
            name = Device.objects.filter(id=device).values_list("name", flat=True).first() or ""
            Device.objects.filter(id=device).update(proof=proof.as_dict(device, name), proven=timezone.now())

        await in_records(save)
