"""What is recorded of live states, as the engine asks for it."""

from __future__ import annotations

import time
from collections.abc import Mapping, Sequence

from netloom_core.live.edges import Edge
from netloom_server.base.crossing import in_records
from netloom_server.installation.services import monitor

STILL_S = 30.0


class PointRecords:
    def __init__(self) -> None:
        self._saves = 0
        self._told = 0.0  # when it was last noted that recording goes on

    async def monitored(self) -> Mapping[str, Sequence[str]]:
        now = time.time()
        if not self._told:
            await in_records(monitor.was_away)
        if now - self._told > STILL_S:
            self._told = now
            await in_records(monitor.still_there, now)
        return await in_records(monitor.wanted)

    async def save_edges(self, edges: Sequence[Edge]) -> None:
        self._saves += 1
        await in_records(monitor.save, edges, self._saves)
