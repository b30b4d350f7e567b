"""All kinds of papers, by name."""

from __future__ import annotations

from netloom_server.papers.kinds import archive, report, schedule
from netloom_server.papers.kinds.base import Kind

KINDS: dict[str, Kind] = {"report": report.KIND, "archive": archive.KIND, "schedule": schedule.KIND}
