"""All kinds of runs that a person can begin, and those that are planned first."""

from netloom_server.runs.kinds.backup import Backup
from netloom_server.runs.kinds.base import Begins, Plans
from netloom_server.runs.kinds.planned import Apply, Firmware, Procedure, Restore, Undo
from netloom_server.runs.kinds.read import Read
from netloom_server.runs.kinds.sweep import Sweep
from netloom_server.runs.kinds.verify import Verify

PLANNED: dict[str, Plans] = {"apply": Apply(), "restore": Restore(), "undo": Undo(), "procedure": Procedure(),
                            "firmware": Firmware()}  # fmt: skip
KINDS: dict[str, Begins] = {
    kind.name: kind
    for kind in (Sweep(), Read(), Backup(), Verify(), Apply(), Restore(), Undo(), Procedure(), Firmware())
}
