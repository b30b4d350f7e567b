"""Load firmware, as the plan showed it. What came of it is the run's own line, with what the new version set back."""

from netloom_core.engine.kinds.base import DeviceWork, Workshop
from netloom_core.model.work import GOOD, RunState

LONGEST = 500


class FirmwareRun(DeviceWork):
    name = "firmware"

    async def conclude(self, run: RunState, shop: Workshop) -> None:
        loaded = [step for step in run.steps if step.action == "load"]
        if loaded and all(step.state in GOOD for step in loaded):
            run.message = " ".join(step.message for step in loaded if step.message)[:LONGEST]
