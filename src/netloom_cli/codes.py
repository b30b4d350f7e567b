"""Codes by which devices let in: new ones for many, and looking at one that is kept."""

from __future__ import annotations

from typing import Annotated, Any

import typer

from netloom_cli.client import call, context, give, note, quoted
from netloom_cli.output import table

codes_app = typer.Typer(help="Codes by which devices let in.", no_args_is_help=True, rich_markup_mode=None)


def register(app: typer.Typer) -> None:
    app.add_typer(codes_app, name="codes")


@codes_app.command("new")
def new(
    devices: Annotated[list[str], typer.Argument(help="devices")],
    pattern: Annotated[str, typer.Option(help="like Skerry-{nn}-{random:4}; random codes without one")] = "",
) -> None:
    """Decide new codes, shown this once; `apply` writes them and signs in with each to prove it."""
    made = call("POST", "/api/codes", {"devices": devices, "pattern": pattern})
    _show(made["codes"], made)
    note("Decided; `netloom apply` writes them. They are kept encrypted and not shown again by themselves.")


@codes_app.command("show")
def show(device: str) -> None:
    """Look at the code of a device. Only a lead may, and it stands in the journal."""
    found = call("POST", f"/api/devices/{quoted(device)}/code")
    _show([found], found)


def _show(rows: list[dict[str, Any]], whole: dict[str, Any]) -> None:
    if context.json:
        give(whole)
    else:
        titles = ("Device", "Serial number", "User", "Code")
        table(titles, ((row["name"], row["serial"], row["user"], row["code"]) for row in rows))
