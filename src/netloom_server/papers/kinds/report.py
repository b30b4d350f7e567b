"""The settings report: every device with its address, and its running and approved values.

One page of HTML, made for paper. A site of thousands has a million rows: they are written as they
are made, and a row that was written before for the same setting and values is not made again.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from html import escape
from itertools import islice
from pathlib import Path
from typing import Any, TypeVar

from django.template.loader import render_to_string
from django.utils import timezone

from netloom_core.documents.tree import MISSING, at, tokens
from netloom_core.library.load import Library
from netloom_core.model.secrets import masked
from netloom_core.profiles.item import Item as Described
from netloom_core.profiles.profile import Profile
from netloom_server.backups.models import Backup, Document
from netloom_server.installation.models import Device, Installation, Line
from netloom_server.installation.services.present import state_of
from netloom_server.installation.services.records import baselines_of
from netloom_server.papers.kinds.base import Kind
from netloom_server.runs.services import journal

AT_ONCE = 250  # devices whose documents are in memory
MEMORY = 200_000  # rows that are remembered
UNUSED = [
    *("places", "methods", "reasons", "intended", "counts", "was"),
    *(f"unit__{name}" for name in ("keys", "apart", "facts", "switch", "lost", "bound", "secrets")),
    *(f"line__{name}" for name in ("off", "reports")),
]
Item = TypeVar("Item")


def make(path: Path, library: Library) -> None:
    with path.open("w", encoding="utf-8") as out:
        out.writelines(pieces(library))


def pieces(library: Library) -> Iterator[str]:
    """The page, in order."""
    site = Installation.objects.first()
    found = Device.objects.filter(taken_in=True).select_related("line", "area").order_by("line__name", "name")
    devices = list(found.defer(*UNUSED))
    head = journal.head()
    about = {
        "site": site.name if site else "Installation",
        "made": timezone.now(),
        "devices": len(devices),
        "lines": Line.objects.count(),
        "journal_entries": head.count,
        "journal_hash": head.hash if head.count else "",
        "journal_whole": journal.check().broken is None,
    }
    yield render_to_string("report_head.html", about)
    for device in devices:
        yield _in_schedule(device, library)
    yield "</tbody></table>\n"
    row = _Rows()
    for some in _in_portions(devices, AT_ONCE):
        baselines = baselines_of(device.id for device in some)
        names = {device.running for device in some} | {backup.running_id for backup in baselines.values()}
        documents = Document.load_many(names)
        for device in some:
            if profile := library.get(device.profile):
                yield from _section(device, profile, documents, baselines.get(device.id), row)
    yield "</body></html>\n"


def _in_portions(items: Iterable[Item], size: int) -> Iterator[list[Item]]:
    rest = iter(items)
    while some := list(islice(rest, size)):
        yield some


def _cells(*texts: Any) -> str:
    return "".join(f"<td>{escape(str(text))}</td>" for text in texts)


def _in_schedule(device: Device, library: Library) -> str:
    profile = library.get(device.profile)
    address = f"{device.address} · {device.speed} baud" if device.speed else device.address
    area, line = device.area.name if device.area else "", device.line.name if device.line else ""
    proof = device.proof.get("result", "") or "not verified"
    model = profile.model if profile else device.model
    cells = _cells(device.name, area, line, address, model, device.serial, device.firmware, state_of(device), proof)
    return f"<tr>{cells}</tr>\n"


class _Rows:
    """Rows of the tables of settings."""

    def __init__(self) -> None:
        self._made: dict[tuple[str, str, str, str], tuple[str, bool]] = {}
        self._settings: dict[str, list[tuple[str, tuple[str, ...], Described]]] = {}

    def settings(self, profile: Profile) -> list[tuple[str, tuple[str, ...], Described]]:
        """Each with its path, in one piece and in parts."""
        if profile.id not in self._settings:
            self._settings[profile.id] = [(path, tokens(path), setting) for path, setting in profile.by_path.items()]
        return self._settings[profile.id]

    def of(self, profile: Profile, path: str, setting: Described, now: Any, then: Any) -> tuple[str, bool]:
        """The row, and whether the two values differ."""
        key = (profile.id, path, repr(now), repr(then))
        known = self._made.get(key)
        if known is None:
            differs = then is not MISSING and now is not MISSING and now != then
            known = _row(path, setting, now, then, differs), differs
            if len(self._made) < MEMORY:
                self._made[key] = known
        return known


def _row(path: str, setting: Described, now: Any, then: Any, differs: bool) -> str:
    def shown(value: Any) -> str:
        if value is MISSING:
            return ""
        text = masked(value) if setting.secret else setting.type.show(value)
        return escape(f"{text} {setting.unit}" if setting.unit and text != "" else str(text))

    mark = ' <span class="mark">≠</span>' if differs else ""
    kind = ' class="differs"' if differs else ""
    label = escape(setting.label)
    return f"<tr{kind}><td>{label}<td>{escape(path)}<td>{shown(now)}<td>{shown(then)}{mark}\n"


def _section(
    device: Device, profile: Profile, documents: dict[str, Any], baseline: Backup | None, rows: _Rows
) -> Iterator[str]:
    running = documents.get(device.running, {})
    approved = documents.get(baseline.running_id, {}) if baseline else {}
    if not rows.settings(profile):
        return
    values = ((*one, at(running, one[1]), at(approved, one[1])) for one in rows.settings(profile))
    made = [
        rows.of(profile, path, setting, now, then)
        for path, _, setting, now, then in values
        if now is not MISSING or then is not MISSING
    ]
    yield f'<section>\n<h2>{escape(device.name)}</h2>\n<p class="soft">'
    yield _said(device, profile, baseline, sum(differs for _, differs in made))
    yield "</p>\n"
    if made:
        yield '<table class="settings"><thead><tr><th>Setting<th>Path<th>Running<th>Approved</thead>\n<tbody>\n'
        yield "".join(row for row, _ in made)
        yield "</tbody></table>\n"
    yield "</section>\n"


def _said(device: Device, profile: Profile, baseline: Backup | None, differences: int) -> str:
    said = [f"{escape(profile.maker)} {escape(profile.model)}, {escape(profile.kind)}"]
    if device.serial:
        said[0] += f', serial number <span class="mono">{escape(device.serial)}</span>'
    said[0] += "."
    if baseline:
        at, by = f"{baseline.taken:%Y-%m-%d %H:%M} UTC", escape(baseline.by)
        said.append(f'Approved {at} by {by}, digest <span class="mono">{baseline.running_id[:16]}…</span>.')
    else:
        said.append("No approved record.")
    said.append(f"Read {device.read:%Y-%m-%d %H:%M} UTC." if device.read else "Never read.")
    if differences:
        words = "1 value differs" if differences == 1 else f"{differences} values differ"
        said.append(f'<span class="mark">{words} from the approved record.</span>')
    return "\n".join(said)


KIND = Kind("Settings report", make, ".html", "text/html; charset=utf-8", "netloom-settings-report", inline=True)
