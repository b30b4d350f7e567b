"""Settings of many devices: as a table both ways, filled by a pattern, copied from one to others."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer

from netloom_cli.changes import pending_in
from netloom_cli.client import WORDS, call, context, fail, give, note, quoted
from netloom_cli.places import fate, read_back

settings_app = typer.Typer(help="Settings of many devices.", no_args_is_help=True, rich_markup_mode=None)
Chosen = Annotated[list[str] | None, typer.Argument(help="devices; all when none")]


def register(app: typer.Typer) -> None:
    app.add_typer(settings_app, name="settings")


@settings_app.command("sheet")
def sheet(
    file: Annotated[Path, typer.Argument(help="where it goes; .xlsx or .csv")],
    devices: Chosen = None,
    path: Annotated[list[str] | None, typer.Option(help="a setting by its path; may be repeated; all without")] = None,
) -> None:
    """Settings as a table: a row for each device, a column for each setting."""
    form = "xlsx" if file.suffix.lower() == ".xlsx" else "csv"
    body = call("POST", "/api/settings/sheet", {"devices": devices or [], "paths": path or [], "form": form}, raw=True)
    try:
        file.write_bytes(body)
    except OSError as error:
        fail("words", f"{file} cannot be written: {error.strerror}.", "Name another place.")
    give({"file": str(file), "bytes": len(body)}) if context.json else note(f"{file}: {len(body)} bytes.")


@settings_app.command("import")
def import_sheet(
    file: Annotated[Path, typer.Argument(help="CSV or XLSX, as `sheet` makes it")],
    decide: Annotated[bool, typer.Option("--decide", help="decide what the good rows say; `apply` writes it")] = False,
) -> None:
    """What a changed table would change; bad rows are named. An empty cell changes nothing."""
    read_back("/api/settings/table", file, decide, "Device", fate)


@settings_app.command("fill")
def fill(
    setting: Annotated[str, typer.Argument(help="POINTER=PATTERN, like /name='Gate {nn}'")],
    devices: Annotated[list[str], typer.Argument(help="devices, in the order in which they count")],
) -> None:
    """Give one setting of many devices a value; {n}, {nn}, {place}, {name}, {area}, {serial} are filled in."""
    path, equals, pattern = setting.partition("=")
    if not equals or not path.startswith("/"):
        fail("words", f"{setting!r} is no POINTER=PATTERN.", "Write it like /name='Gate {nn}'.", WORDS)
    body = [{"device": device, "path": path, "value": pattern} for device in devices]
    _told(call("POST", "/api/intended", {"changes": body, "fill": True}))


@settings_app.command("copy")
def copy(
    source: Annotated[str, typer.Argument(help="whose values")],
    devices: Annotated[list[str], typer.Argument(help="to whom")],
    path: Annotated[list[str], typer.Option(help="a setting by its path, or all below one; may be repeated")],
) -> None:
    """Decide chosen values of one device for others: what is decided on it, else what it has."""
    found = call("GET", f"/api/devices/{quoted(source)}")
    wanted = [
        one for one in found["settings"]
        if any(one["path"] == asked or one["path"].startswith(asked.rstrip("/") + "/") for asked in path)
        and one["type"] != "secret" and not one["reserved"] and one["role"] not in ("address", "password")
    ]  # fmt: skip
    values = [(one["path"], one["running"] if one["intended"] is None else one["intended"]) for one in wanted]
    known = [(where, value) for where, value in values if value is not None]
    if not known:
        fail("words", f"{found['name']} has no such value that can be copied.", "Look at `netloom show`.", WORDS)
    body = [{"device": to, "path": where, "value": value} for to in devices for where, value in known]
    _told(call("POST", "/api/intended", {"changes": body}))


@settings_app.command("take-from")
def take_from(
    device: Annotated[str, typer.Argument(help="the one that joins")],
    parent: Annotated[str, typer.Argument(help="the one that makes it: a network, say")],
    name: Annotated[str, typer.Option(help="what is joined, where there are several")] = "",
) -> None:
    """Take what has to be equal on both from the device that makes a network or the like; `apply` writes it."""
    _told(call("POST", f"/api/devices/{quoted(device)}/joins", {"to": parent, "name": name}))


def _told(done: dict[str, Any]) -> None:
    if context.json:
        give(done)
        return
    for one in done["devices"]:
        note(f"{one['name']}: {pending_in(one)}.")
    note("`netloom apply` writes them.")
