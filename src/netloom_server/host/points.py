"""What is recorded of live states, as the engine asks for it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from netloom_core.live.edges import Edge
from netloom_server.base.crossing import in_records
from netloom_server.installation.services import monitor


class PointRecords:
    def __init__(self) -> None:
        self._saves = 0

    async def monitored(self) -> Mapping[str, Sequence[str]]:
        return await in_records(monitor.wanted)

    async def save_edges(self, edges: Sequence[Edge]) -> None:
        self._saves += 1
        await in_records(monitor.save, edges, self._saves)
