"""Firmware: the library, devices against it, loading."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer

from netloom_cli.changes import Yes, carry_out
from netloom_cli.client import DIFFERS, WORDS, call, context, fail, give, note, quoted
from netloom_cli.output import say, table

firmware_app = typer.Typer(help="Firmware.", invoke_without_command=True, rich_markup_mode=None)
GOOD = ("current", "ahead", "unknown")


def register(app: typer.Typer) -> None:
    app.add_typer(firmware_app, name="firmware")


@firmware_app.callback(invoke_without_command=True)
def firmware(made: typer.Context) -> None:
    """The library's files, and devices against it: behind, refused, current, ahead, mixed, no-application, unknown."""
    if made.invoked_subcommand is not None:
        return
    kept, devices = call("GET", "/api/firmware"), call("GET", "/api/firmware/devices")["devices"]
    behind = any(one["word"] not in GOOD for one in devices)
    if context.json:
        give({**kept, "devices": devices})
        raise typer.Exit(DIFFERS if behind else 0)
    table(
        ("File", "Name", "Version", "For", "Hardware", "Bytes", ""),
        (
            (f["id"], f["name"], f["version"] or "not said", f["model"] or "no model known", ", ".join(f["hardware"]),
             f["size"], f"do not use: {f['refused']}" if f["refused"] else "" if f["there"] else "its bytes are gone")
            for f in kept["files"]
        ),
    )  # fmt: skip
    table(
        ("Device", "Model", "Has", "Current", "It is", ""),
        ((d["name"], d["model"], d["firmware"], d["current"], d["word"], d["why"]) for d in devices),
    )
    raise typer.Exit(DIFFERS if behind else 0)


@firmware_app.command("add")
def add(file: Path, source: Annotated[str, typer.Option(help="where it came from")] = "") -> None:
    """Add a file to the library, or all that are in a zip or tar."""
    try:
        data = file.read_bytes()
    except OSError as error:
        fail("words", f"{file} cannot be read: {error.strerror}.", "Name a file that is there.", WORDS)
    query = f"?source={quoted(source)}" if source else ""
    told = call("POST", f"/api/firmware/import/{quoted(file.name)}{query}", content=data)
    if context.json:
        give(told)
        return
    for one in told["added"]:
        what = (
            f"version {one['version'] or 'not known'} of {one['model']}" if one["model"] else "fits no model known here"
        )
        note(f"{one['name']} is kept as {one['id']}: {what}.")
    for one in told["left"]:
        note(f"{one['name']} was left out: {one['why']}.")


@firmware_app.command("show")
def show(file: str) -> None:
    """One file: what it is for, and what its maker says of it."""
    one = call("GET", f"/api/firmware/{quoted(file)}")
    if context.json:
        give(one)
        return
    for name in (
        "name",
        "model",
        "version",
        "hardware",
        "code",
        "size",
        "digest",
        "source",
        "dated",
        "supersedes",
        "refused",
        "notes",
    ):
        value = one[name]
        if value:
            say(f"{name.capitalize()}: {', '.join(value) if isinstance(value, list) else value}")


@firmware_app.command("mark")
def mark(
    file: str,
    refuse: Annotated[str | None, typer.Option(help="why it is not to be used; empty takes that back")] = None,
    notes: Annotated[str | None, typer.Option(help="what is to be known of it")] = None,
    version: Annotated[str | None, typer.Option(help="its version, where it does not say it")] = None,
    model: Annotated[str | None, typer.Option(help="the profile that it is for, where it does not say it")] = None,
    dated: Annotated[str | None, typer.Option(help="its date, like 2026-03-01")] = None,
    supersedes: Annotated[str | None, typer.Option(help="which versions it replaces, in words")] = None,
) -> None:
    """Say what is to be known of a file."""
    said = {"refused": refuse, "notes": notes, "version": version, "profile": model, "dated": dated,
            "supersedes": supersedes}  # fmt: skip
    body = {name: value for name, value in said.items() if value is not None}
    if not body:
        fail(
            "words",
            "Nothing is said of it.",
            "Say --refuse, --notes, --version, --model, --dated or --supersedes.",
            WORDS,
        )
    one = call("PATCH", f"/api/firmware/{quoted(file)}", body)
    give(one) if context.json else note(f"{one['name']}: noted.")


@firmware_app.command("want")
def want(
    model: Annotated[str, typer.Argument(help="profile, like corrain-xt1")],
    current: Annotated[str, typer.Option(help="the version to have; the newest one where it is empty")] = "",
    least: Annotated[str, typer.Option(help="the oldest that will do")] = "",
    why: Annotated[str, typer.Option(help="why an older one will not")] = "",
) -> None:
    """Which version a model is to have."""
    told = call("PUT", f"/api/firmware/models/{quoted(model)}", {"current": current, "least": least, "why": why})
    give(told) if context.json else note(f"{told['model']}: {told['current'] or 'no version'} is current.")


@firmware_app.command("remove")
def remove(file: str) -> None:
    """Take a file out of the library."""
    call("DELETE", f"/api/firmware/{quoted(file)}")
    give({"removed": file}) if context.json else note("It is not kept any more.")


@firmware_app.command("load")
def load(
    device: str,
    file: Annotated[str, typer.Option(help="id or name; the current version when none is named")] = "",
    yes: Yes = False,
) -> None:
    """Load firmware into one device: check, send, await, find again, prove."""
    body: dict[str, Any] = {"kind": "firmware", "devices": [device], "file": file}
    carry_out(body, yes)
