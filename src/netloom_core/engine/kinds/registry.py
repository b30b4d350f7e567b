"""All kinds of runs, by name. A new one is a file and a line here."""

from __future__ import annotations

from netloom_core.engine.kinds.apply import ApplyRun
from netloom_core.engine.kinds.backup import BackupRun
from netloom_core.engine.kinds.base import Kind
from netloom_core.engine.kinds.firmware import FirmwareRun
from netloom_core.engine.kinds.plan import PlanRun
from netloom_core.engine.kinds.procedure import ProcedureRun
from netloom_core.engine.kinds.read import ReadRun
from netloom_core.engine.kinds.restore import RestoreRun
from netloom_core.engine.kinds.sweep import SweepRun
from netloom_core.engine.kinds.undo import UndoRun
from netloom_core.engine.kinds.verify import VerifyRun


def kinds() -> dict[str, Kind]:
    """Made anew for each engine, since a sweep keeps what can stop it."""
    all_kinds: tuple[Kind, ...] = (
        SweepRun(), ReadRun(), BackupRun(), VerifyRun(), PlanRun(), ApplyRun(), RestoreRun(), UndoRun(),
        ProcedureRun(), FirmwareRun(),
    )  # fmt: skip
    return {kind.name: kind for kind in all_kinds}
