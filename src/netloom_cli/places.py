"""Places on lines: the rules of a line, proposals by them, what is wrong, and the schedule as a table."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import Annotated, Any

import typer

from netloom_cli.client import DIFFERS, call, context, fail, give, note, quoted
from netloom_cli.output import table
from netloom_cli.survey import one_of

MAX_TABLE = 4_000_000

places_app = typer.Typer(help="Places on lines, by rules.", no_args_is_help=True, rich_markup_mode=None)


def register(app: typer.Typer) -> None:
    app.add_typer(places_app, name="places")


@places_app.command("rules")
def rules(
    line: str,
    file: Annotated[
        Path | None, typer.Option("--set", help="a JSON file with the rules that it is to have (docs/addressing.md)")
    ] = None,
) -> None:
    """The rules of a line as JSON; with `--set` gives it others."""
    path = f"/api/lines/{quoted(one_of('line', line)['id'])}/rules"
    told = call("GET", path)
    if file is not None:
        try:
            wanted = json.loads(file.read_text(encoding="utf-8"))
        except (OSError, ValueError) as error:
            fail("words", f"{file} cannot be read as JSON: {error}.", "See docs/addressing.md for the rules' form.")
        told = call("PUT", path, {"rules": wanted, "seen": told["rules"]})
    give(told if context.json else told["rules"])


@places_app.command("plan")
def plan(
    devices: Annotated[list[str], typer.Argument(help="devices")],
    decide: Annotated[bool, typer.Option("--decide", help="decide it; `apply` writes it")] = False,
) -> None:
    """What the rules of their lines give these devices, and why."""
    made = call("POST", "/api/places/propose", {"devices": devices})["proposals"]
    changes = [one for one in made if one["values"]]
    if decide and changes:
        given = [{name: one[name] for name in ("device", "values", "version")} for one in changes]
        call("POST", "/api/places/decide", {"assignments": given})
    if context.json:
        give({"proposals": made, "decided": len(changes) if decide else 0})
    else:
        for one in made:
            note(f"{one['name']}: {one['address'] or one['problem']}  {' '.join(one['why'])}")
        note(f"{len(changes)} decided; `netloom apply` writes them." if decide else f"{len(changes)} would change.")
    if any(one["problem"] for one in made):
        raise typer.Exit(DIFFERS)


@places_app.command("check")
def check() -> None:
    """What is wrong with places, before anything is written."""
    found = call("GET", "/api/places/troubles")["troubles"]
    if context.json:
        give({"troubles": found})
    else:
        table(
            ("Device", "Place", "What is wrong", "Try"),
            ((one["name"], one["address"], one["message"], one["hint"]) for one in found),
        )
    if found:
        raise typer.Exit(DIFFERS)


@places_app.command("import")
def import_table(
    file: Annotated[Path, typer.Argument(help="CSV or XLSX, as `schedule` makes it")],
    decide: Annotated[bool, typer.Option("--decide", help="decide what the good rows say; `apply` writes it")] = False,
) -> None:
    """What a changed address schedule would change; bad rows are named with their reasons."""
    read_back("/api/places/table", file, decide, "Device", fate)


def read_back(url: str, file: Path, decide: bool, title: str, told_of: Callable[[dict[str, Any]], str]) -> None:
    """A table goes there; what it would change, or changed, and which rows cannot be, is told."""
    try:
        content = file.read_bytes()
    except OSError as error:
        fail("words", f"{file} cannot be read: {error.strerror}.", "Name a CSV or XLSX file.")
    if len(content) > MAX_TABLE:
        fail("words", f"{file} is too large.", "Split it.")
    told = call("POST", f"{url}/{quoted(file.name)}{'?decide=1' if decide else ''}", content=content)
    rows = [row for row in told["rows"] if row["changes"] or row["problem"] or row.get("profile")]
    if context.json:
        give(told)
    else:
        table(("Row", title, "What becomes of it"), ((row["number"], row["name"], told_of(row)) for row in rows))
        good = sum(1 for row in rows if not row["problem"])
        note(f"{told['decided']} decided; `netloom apply` writes them." if decide else f"{good} would change.")
    if any(row["problem"] for row in rows):
        raise typer.Exit(DIFFERS)


def fate(row: dict[str, Any]) -> str:
    if row["problem"]:
        return f"{row['problem']} {row['hint']}"
    return ", ".join(f"{what} {row['before'][what] or 'nothing'} to {to}" for what, to in row["changes"].items())


@places_app.command("give")
def give_addresses(
    line: str,
    minutes: Annotated[int, typer.Option(min=1, max=240, help="how long; it ends by itself then")] = 30,
    end: Annotated[bool, typer.Option("--end", help="end it now")] = False,
    show: Annotated[bool, typer.Option("--show", help="only look at it")] = False,
    accept: Annotated[list[str] | None, typer.Option(help="MAC=ADDRESS: name one that asks and is in no plan")] = None,
) -> None:
    """Answer who asks for an address by BOOTP or DHCP on a line: those of the plan, and whom you accept."""
    path = f"/api/lines/{quoted(one_of('line', line)['id'])}/giving"
    if end:
        call("DELETE", path)
        note("No addresses are given there now.")
        return
    for word in accept or []:
        mac, _, address = word.partition("=")
        call("POST", f"{path}/accept", {"mac": mac, "address": address})
    told = call("GET", path) if show or accept else call("POST", path, {"minutes": minutes})
    if context.json:
        give(told)
    elif told["giving"] is None:
        note("No addresses are given there now.")
    else:
        _tell(told["giving"])


def _tell(giving: dict[str, Any]) -> None:
    note(f"Addresses are given on {giving['interface']}. {giving['trouble']}")
    for text in (
        *(f"Another server answers there: {o['server']}, {o['how']}." for o in giving["others"]),
        *giving["notes"],
    ):
        note(text)
    table(
        ("MAC", "Device", "It", "Netloom"),
        ((one["mac"], one["name"] or one["host"], one["asked"], one["said"]) for one in giving["exchanges"]),
    )
