"""Profiles: checked, tried on a device, added."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer

from netloom_cli.client import DIFFERS, FAILED, call, context, fail, give, note, quoted
from netloom_cli.output import say, table

MAX_FILE = 1_000_000
app = typer.Typer(
    help="Profiles: the models that this installation knows.", no_args_is_help=True, rich_markup_mode=None
)


def register(main: typer.Typer) -> None:
    main.add_typer(app, name="profile")


def _body(file: Path) -> dict[str, Any]:
    try:
        text = file.read_bytes().decode()
    except OSError as error:
        fail("words", f"{file} cannot be read: {error.strerror}.", "Name a profile, a YAML file.")
    except UnicodeDecodeError:
        fail("words", f"{file} is not text.", "A profile is a YAML file in UTF-8.")
    if len(text) > MAX_FILE:
        fail("words", f"{file} is too large.", "Is it a profile at all?")
    return {"name": file.name, "text": text}


@app.command("list")
def list_() -> None:
    """All models, those that were added here marked."""
    found = call("GET", "/api/profiles")
    if context.json:
        give({"profiles": found})
        return
    table(
        ("Id", "Maker", "Model", "Kind", "Values", "Points", "From"),
        ((p["id"], p["maker"], p["model"], p["kind"], p["values"], p["points"],
          f"added by {p['added_by']}" if p["own"] else "ships with it") for p in found),
    )  # fmt: skip


@app.command()
def check(file: Path) -> None:
    """Whether a file is a profile that works: its form, and what it asks of its protocols. Nothing is kept."""
    told = call("POST", "/api/profiles/check", _body(file))
    give(told) if context.json else _tell(told, "is a good profile")


def _tell(told: dict[str, Any], what: str) -> None:
    say(f"{told['maker']} {told['model']} ({told['id']}) {what}: {told['values']} values, {told['points']} points.")
    for channel, able in told["able"].items():
        say(f"  {channel}: {', '.join(able) or 'only found, nothing is read'}")
    if told["replaces"]:
        say(f"  It goes before the {told['replaces']} that is known by that id.")


@app.command("try")
def try_(
    file: Path,
    at: Annotated[str, typer.Option("--at", help="ADDRESS@LINE, or LINE,ADDRESS")],
    speed: Annotated[int, typer.Option(help="baud, where it is not the line's")] = 0,
) -> None:
    """Read everything that a profile describes from a device, and say what each binding gave. Writes nothing."""
    address, mark, line = at.partition("@")
    if not mark:
        line, mark, address = at.rpartition(",")
    if not mark or not line or not address:
        fail("words", f"{at!r} names no place.", "Say --at ADDRESS@LINE.")
    body = {**_body(file), "line": line, "address": address.strip(), **({"speed": speed} if speed else {})}
    trial = call("POST", "/api/profiles/try", body)
    if context.json:
        give(trial)
    else:
        say("  ".join(f"{name}: {value}" for name, value in trial["identity"].items()) or "It did not say who it is.")
        table(("Item", "Set", "By", "Gave", ""), ((r["path"], r["set"], r["channel"], r["state"], r["text"])
                                               for r in trial["rows"]))  # fmt: skip
    if trial["trouble"]:
        note(f"{trial['trouble']}\n  Try: {trial['hint']}")
        raise typer.Exit(FAILED)
    if any(row["state"] != "value" for row in trial["rows"]):
        raise typer.Exit(DIFFERS)


@app.command()
def add(file: Path) -> None:
    """Add a profile to this installation, or take it instead of the one with its id."""
    told = call("POST", "/api/profiles", _body(file))
    give(told) if context.json else _tell(told, "was added")


@app.command()
def remove(ident: str) -> None:
    """Take an added profile away; the one that ships is back, where there is one."""
    call("DELETE", f"/api/profiles/{quoted(ident)}")
    give({"removed": ident}) if context.json else say(f"{ident} was taken away.")
