"""All kinds of steps, by name. A new one is a module and a line here."""

from netloom_core.run.steps.base import Step
from netloom_core.run.steps.by_hand import ByHand
from netloom_core.run.steps.decide import Decide
from netloom_core.run.steps.load import LoadFirmware
from netloom_core.run.steps.perform import Perform
from netloom_core.run.steps.power_cycle import PowerCycle
from netloom_core.run.steps.quiet import Quiet
from netloom_core.run.steps.read import BackupDevice, ReadDevice
from netloom_core.run.steps.restart import Readdress, Restart
from netloom_core.run.steps.store import StoreSettings
from netloom_core.run.steps.write import StageSettings, WriteSettings

STEPS: dict[str, Step] = {
    step.action: step
    for step in (
        WriteSettings(),
        StageSettings(),
        StoreSettings(),
        Restart(),
        Readdress(),
        ReadDevice(),
        BackupDevice(),
        ByHand(),
        Perform(),
        PowerCycle(),
        LoadFirmware(),
        Quiet(),
        Decide(),
    )
}
