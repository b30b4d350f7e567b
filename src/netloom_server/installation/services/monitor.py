"""The point monitor: which points people want recorded, and what was recorded of them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from datetime import UTC, datetime
from typing import Any

from django.db import transaction

from netloom_core.documents import tables
from netloom_core.errors import RequestError
from netloom_core.library.load import Library
from netloom_core.live.edges import UNKNOWN, Edge
from netloom_core.run.drive import short_name
from netloom_server.base.problems import Conflict, NotFound
from netloom_server.installation.models import Device, MonitoredPoint, PointEdge
from netloom_server.installation.services.present import point_label
from netloom_server.installation.services.records import resolve_all

MOST = 400  # points
MOST_DEVICES = 200
MOST_KEPT = 500_000  # changes; the oldest go
MOST_READ = 20_000
TRIM_EVERY = 50  # saves
HEAD = ("Time (UTC)", "Device", "Point", "Label", "State", "Cause", "Seconds in the state before")


@transaction.atomic
def add(points: Sequence[tuple[str, str]], by: str, library: Library) -> None:
    """Record these from now on. Raises RequestError for what has no live state, Conflict where there are too many."""
    if len(points) > MOST:
        raise RequestError(f"At most {MOST} points are recorded at a time.", "Choose fewer. Nothing was added.")
    found = resolve_all(word for word, _ in points)
    for word, point in points:
        device = found[word]
        profile = library.get(device.profile)
        short = short_name(profile, point) if profile is not None else point
        item = profile.by_point.get(short) if profile is not None else None
        if item is None or not item.live:
            raise RequestError(f"{device.name} has no live point {point[:80]}.", "Look at its points on the bench.")
        MonitoredPoint.objects.get_or_create(device=device, point=short, defaults={"by": by})
    if MonitoredPoint.objects.values("device").distinct().count() > MOST_DEVICES:
        raise Conflict(
            f"Points of at most {MOST_DEVICES} devices are recorded at a time.",
            "Take some out first. Nothing was added.",
        )
    if MonitoredPoint.objects.count() > MOST:
        raise Conflict(f"At most {MOST} points are recorded at a time.", "Take some out first. Nothing was added.")


def take_out(ident: int) -> None:
    if not MonitoredPoint.objects.filter(id=ident).delete()[0]:
        raise NotFound("That point is not recorded any more.", "Nothing was changed.")


def wanted() -> dict[str, list[str]]:
    """Points by device, of devices on lines in use."""
    found: dict[str, list[str]] = {}
    rows = MonitoredPoint.objects.filter(device__line__archived=None).order_by("id").values_list("device_id", "point")
    for device, point in rows:
        found.setdefault(device, []).append(point)
    return found


def still_there(time: float) -> None:
    """Recording goes on."""
    MonitoredPoint.objects.update(seen=_moment(time))


def was_away() -> None:
    """The server begins: what the points did since they were last asked for, nobody knows."""
    for one in MonitoredPoint.objects.exclude(seen=None):
        last = PointEdge.objects.filter(device=one.device_id, point=one.point).order_by("-id").first()
        if last is not None and last.state != UNKNOWN and one.seen is not None:
            PointEdge.objects.create(device_id=one.device_id, point=one.point, state=UNKNOWN, at=max(one.seen, last.at))


def shown(library: Library) -> list[dict[str, Any]]:
    rows = []
    for one in MonitoredPoint.objects.select_related("device").order_by("id"):
        profile = library.get(one.device.profile)
        item = profile.by_point.get(one.point) if profile is not None else None
        rows.append(
            {
                "id": one.id,
                "device": one.device_id,
                "name": one.device.name,
                "point": one.point,
                "label": point_label(one.device, profile, item) if item is not None else one.point,
                "kind": item.kind if item is not None else "",
                "states": item.states if item is not None else [],
                "words": {str(o["value"]): o["label"] for o in item.type.limits().get("options", [])} if item else {},
                "unit": item.unit if item is not None else "",
                "by": one.by,
            }
        )
    return rows


def save(edges: Sequence[Edge], saves: int) -> None:
    """Keep changes; those of devices that are gone meanwhile are left out. `saves` counts them, for tidying up."""
    there = set(Device.objects.filter(id__in={edge.device for edge in edges}).values_list("id", flat=True))
    PointEdge.objects.bulk_create(
        PointEdge(device_id=e.device, point=e.point, state=e.state[:120], cause=e.cause[:150], at=_moment(e.time))
        for e in edges
        if e.device in there
    )
    if saves % TRIM_EVERY == 0:
        newest = PointEdge.objects.order_by("-id").values_list("id", flat=True).first() or 0
        PointEdge.objects.filter(id__lte=newest - MOST_KEPT).delete()


def _moment(time: float) -> datetime:
    return datetime.fromtimestamp(time, UTC)


def recorded(since: float, most: int = MOST_READ) -> list[Edge]:
    """The newest changes since then, oldest first; before them the last one of each point, where it stood."""
    keys = list(MonitoredPoint.objects.values_list("device_id", "point"))
    start = _moment(since)
    rows = list(PointEdge.objects.filter(at__gte=start).order_by("-id")[:most])
    known = set(keys)
    found = [_edge(row) for row in reversed(rows) if (row.device_id, row.point) in known]
    before = []
    for device, point in keys:
        last = PointEdge.objects.filter(device=device, point=point, at__lt=start).order_by("-id").first()
        if last is not None:
            before.append(_edge(last))
    return sorted([*before, *found], key=lambda edge: edge.time)


def _edge(row: PointEdge) -> Edge:
    return Edge(row.device_id, row.point, row.state, row.at.timestamp(), row.cause)


def together(*lists: Iterable[Mapping[str, Any]]) -> list[dict[str, Any]]:
    """Changes out of several places, each once, in the order of their times."""
    found: dict[tuple[Any, ...], dict[str, Any]] = {}
    for edges in lists:
        for edge in edges:
            found.setdefault((edge["device"], edge["point"], round(edge["time"], 3), edge["state"]), dict(edge))
    return sorted(found.values(), key=lambda edge: edge["time"])


def as_csv(edges: Sequence[Mapping[str, Any]], library: Library) -> str:
    """A row for each change, with how long the state before it lasted."""
    labels = {(row["device"], row["point"]): (row["name"], row["label"]) for row in shown(library)}
    last: dict[tuple[str, str], tuple[float, str]] = {}
    rows: list[tuple[str, ...]] = [HEAD]
    for edge in edges:
        key = edge["device"], edge["point"]
        name, label = labels.get(key, (edge["device"], edge["point"]))
        before = last.get(key)
        lasted = f"{edge['time'] - before[0]:.3f}" if before is not None and before[1] != UNKNOWN else ""
        at = _moment(edge["time"]).isoformat(timespec="milliseconds").replace("+00:00", "Z")
        rows.append((at, name, edge["point"], label, edge["state"] or "not known", edge["cause"], lasted))
        last[key] = edge["time"], edge["state"]
    return tables.as_csv(rows)
