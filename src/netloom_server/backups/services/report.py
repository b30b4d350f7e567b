"""What the settings report holds: every device with its address and its approved or running values."""

from __future__ import annotations

from typing import Any

from django.utils import timezone

from netloom_core.documents.tree import MISSING, get
from netloom_core.profiles.load import Library
from netloom_server.backups.models import Backup, Document
from netloom_server.installation.models import Device, Installation, Line
from netloom_server.installation.services.present import state_of
from netloom_server.runs.services import journal


def report_of(library: Library) -> dict[str, Any]:
    site = Installation.objects.first()
    baselines: dict[str | None, Backup] = {}
    for backup in Backup.objects.filter(baseline=True).order_by("taken"):
        baselines[backup.device_id] = backup
    devices = list(Device.objects.filter(taken_in=True).select_related("line", "area").order_by("line__name", "name"))
    names = {d.running for d in devices} | {b.running_id for b in baselines.values()}
    documents = Document.load_many(names)
    head = journal.head()
    return {
        "site": site.name if site else "Installation",
        "made": timezone.now(),
        "lines": Line.objects.all(),
        "devices": [_device(d, library, documents, baselines.get(d.id)) for d in devices],
        "journal_entries": head.count,
        "journal_hash": head.hash if head.count else "",
        "journal_whole": journal.broken_at() is None,
    }


def _device(
    device: Device, library: Library, documents: dict[str, dict[str, Any]], baseline: Backup | None
) -> dict[str, Any]:
    profile = library.get(device.profile)
    running = documents.get(device.running, {})
    approved = documents.get(baseline.running_id, {}) if baseline else {}
    rows = []
    for path, setting in profile.by_path.items() if profile else ():
        now, then = get(running, path), get(approved, path)
        labels = {option.value: option.label for option in setting.options}
        rows.append(
            {
                "path": path,
                "label": setting.label,
                "unit": setting.unit,
                "running": "" if now is MISSING else labels.get(now, now),
                "baseline": "" if then is MISSING else labels.get(then, then),
                "differs": then is not MISSING and now is not MISSING and now != then,
            }
        )
    return {
        "record": device,
        "state": state_of(device),
        "profile": profile,
        "baseline": baseline,
        "rows": rows,
        "proof": device.proof.get("result", ""),
        "differences": len([row for row in rows if row["differs"]]),
    }
