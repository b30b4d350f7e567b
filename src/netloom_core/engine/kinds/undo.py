"""Take back what a run wrote. What it was before is what people want again."""

from netloom_core.engine.kinds.restore import RestoreRun


class UndoRun(RestoreRun):
    name = "undo"
