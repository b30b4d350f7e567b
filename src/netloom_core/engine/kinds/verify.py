"""Prove devices against what was approved, from a reading of this very run."""

from __future__ import annotations

from netloom_core.backup.verify import summary, verify
from netloom_core.engine.kinds.base import DeviceWork, Workshop
from netloom_core.model.work import CANCELLED, DONE, SKIPPED, RunState


class VerifyRun(DeviceWork):
    name = "verify"

    async def conclude(self, run: RunState, shop: Workshop) -> None:
        """A device that the run did not come to keeps the proof that it had."""
        looked = [step for step in run.steps if step.state != SKIPPED]
        evidence = await shop.store.proofs.evidence([step.device for step in looked])
        devices = []
        for step in looked:
            if step.device not in evidence:
                continue  # its record was removed meanwhile
            proof = verify(evidence[step.device], trouble="" if step.state == DONE else step.message or "Not read.")
            await shop.store.proofs.save_proof(step.device, proof)
            shop.events.put("device", {"device": step.device}, latest=f"device:{step.device}")
            devices.append(proof.as_dict(step.device, evidence[step.device].name))
        run.result = {"devices": devices, "summary": summary(item["result"] for item in devices)}
        if run.state != CANCELLED:
            run.state = "done"
