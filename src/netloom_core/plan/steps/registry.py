"""All kinds of steps, by name. A new one is a module and a line here."""

from netloom_core.plan.steps.base import Step
from netloom_core.plan.steps.move import MoveDevice
from netloom_core.plan.steps.read import BackupDevice, ReadDevice
from netloom_core.plan.steps.store import StoreSettings
from netloom_core.plan.steps.write import WriteSettings

STEPS: dict[str, Step] = {
    step.action: step for step in (WriteSettings(), StoreSettings(), MoveDevice(), ReadDevice(), BackupDevice())
}
