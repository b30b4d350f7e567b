"""What happened at a device, out of three records on one clock: its own, the journal, and the point monitor."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import UTC, datetime
from typing import Any

from netloom_core.library.load import Library
from netloom_server.installation.models import Device, PointEdge

MOST = 1000
OWN, JOURNAL, POINTS = "device", "journal", "points"


def laid_together(
    device: Device, own: Sequence[Mapping[str, Any]], journal: Sequence[Mapping[str, Any]], library: Library
) -> list[dict[str, Any]]:
    """All of it, the newest first; what has no time on our clock stands last. `journal` are its entries as dicts."""
    profile = library.get(device.profile)

    def called(path: str) -> str:
        point = profile.by_point.get(path.removeprefix("point:")) if profile is not None else None
        return point.label if point is not None else profile.called(path) if profile is not None else path

    rows = [_row(OWN, one["at"], one["text"], one["code"]) for one in own]
    for entry in journal:
        at = datetime.fromisoformat(str(entry["time"])).timestamp()
        word = " ".join(
            part for part in (entry["action"], entry["kind"], entry["outcome"], f"by {entry['by']}") if part
        )
        changes = ", ".join(f"{called(str(c['path']))} to {c.get('to')}" for c in entry["changes"][:4])
        rows.append(_row(JOURNAL, at, ": ".join(part for part in (word, changes or entry["message"]) if part)))
    for edge in PointEdge.objects.filter(device=device).order_by("-id")[:MOST]:
        item = profile.by_point.get(edge.point) if profile is not None else None
        label = item.label if item is not None else edge.point
        cause = f", driven by {edge.cause}" if edge.cause else ""
        rows.append(_row(POINTS, edge.at.timestamp(), f"{label}: {edge.state or 'not known'}{cause}"))
    rows.sort(key=lambda row: row["seconds"] if row["seconds"] is not None else 0.0, reverse=True)
    for row in rows:
        row.pop("seconds")
    return rows[:MOST]


def _row(source: str, at: float | None, text: str, code: str = "") -> dict[str, Any]:
    when = datetime.fromtimestamp(at, UTC).isoformat() if at is not None and abs(at) < 1e11 else None
    return {"of": source, "at": when, "text": text, "code": code, "seconds": at if when else None}
