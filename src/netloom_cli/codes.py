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
    level: Annotated[list[str] | None, typer.Option(help="of several codes this one only; may be repeated")] = None,
) -> None:
    """Decide new codes, shown this once; `apply` writes them and signs in with each to prove it."""
    made = call("POST", "/api/codes", {"devices": devices, "pattern": pattern} | ({"levels": level} if level else {}))
    _show(made["codes"], made)
    note("Decided; `netloom apply` writes them. They are kept encrypted and not shown again by themselves.")


@codes_app.command("show")
def show(device: str, level: Annotated[str, typer.Option(help="which of several codes")] = "") -> None:
    """Look at the code of a device. Only a lead may, and it stands in the journal."""
    found = call("POST", f"/api/devices/{quoted(device)}/code", {"level": level})
    _show([found], found)


def _show(rows: list[dict[str, Any]], whole: dict[str, Any]) -> None:
    if context.json:
        give(whole)
    else:
        titles = ("Device", "Serial number", "Level", "User", "Code")
        table(titles, ((row["name"], row["serial"], row["level"], row["user"], row["code"]) for row in rows))


@codes_app.command("shared")
def shared() -> None:
    """Logins that are kept for all of a model, or for the whole installation; never their codes."""
    found = call("GET", "/api/logins")
    if context.json:
        give(found)
        return
    rows = found["logins"]
    titles = ("Number", "For", "Level", "User", "Set by")
    table(titles, ((str(r["id"]), r["profile"] or "all", r["level"], r["user"], r["set_by"]) for r in rows))


@codes_app.command("forget")
def forget(number: int) -> None:
    """Forget a login that is kept for many."""
    call("DELETE", f"/api/logins/{number}")
    give({"id": number, "forgotten": True}) if context.json else note("Forgotten.")
