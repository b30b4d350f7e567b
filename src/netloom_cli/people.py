"""People who may sign in."""

from __future__ import annotations

from typing import Annotated

import typer

from netloom_cli.client import call, context, found_file, give, note, quoted
from netloom_cli.output import table

people_app = typer.Typer(help="People who may sign in.", no_args_is_help=True, rich_markup_mode=None)


def register(app: typer.Typer) -> None:
    app.add_typer(people_app, name="people")


@people_app.command("list")
def list_people() -> None:
    """Everyone, with role."""
    found = call("GET", "/api/people")
    if context.json:
        give({"people": found})
    else:
        table(("Name", "Role"), ((one["username"], one["role"]) for one in found))


@people_app.command("add")
def add(
    name: str,
    role: Annotated[str, typer.Option(help="viewer, technician or lead")] = "technician",
    password: Annotated[str, typer.Option(prompt=True, hide_input=True, confirmation_prompt=True)] = "",
) -> None:
    """Add a person."""
    made = call("POST", "/api/people", {"username": name, "role": role, "password": password})
    give(made) if context.json else note(f"Added {made['username']}, {made['role']}.")


@people_app.command("link")
def link(name: Annotated[str, typer.Argument(help="whom it signs in")] = "owner") -> None:
    """A new one-time sign-in link."""
    url = found_file("server.json", "server")["url"] + call("POST", f"/api/people/{quoted(name)}/link")["path"]
    give({"url": url}) if context.json else print(url)
