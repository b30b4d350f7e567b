"""People who may sign in."""

from __future__ import annotations

from typing import Annotated, Any

import typer

from netloom_cli.client import WORDS, call, context, fail, found_file, give, note, quoted
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
        table(
            ("Name", "Role", "May sign in", "Second factor"),
            ((one["username"], one["role"], "yes" if one["active"] else "no", "yes" if one["second_factor"] else "")
             for one in found),
        )  # fmt: skip


@people_app.command("add")
def add(
    name: str,
    role: Annotated[str, typer.Option(help="viewer, technician or lead")] = "technician",
    password: Annotated[str, typer.Option(help="without one the person comes in by a one-time link")] = "",
) -> None:
    """Add a person, and print a one-time link for the first time."""
    made = call("POST", "/api/people", {"username": name, "role": role, "password": password})
    url = _link(name)
    give({**made, "url": url}) if context.json else print(url)
    note(f"Added {made['username']}, {made['role']}. The link signs in once, within twelve hours.")


@people_app.command("link")
def link(name: Annotated[str, typer.Argument(help="whom it signs in")] = "owner") -> None:
    """A new one-time sign-in link."""
    url = _link(name)
    give({"url": url}) if context.json else print(url)


@people_app.command("role")
def role(name: str, role: Annotated[str, typer.Argument(help="viewer, technician or lead")]) -> None:
    """Make a person a viewer, a technician or a lead."""
    _changed(name, {"role": role})


@people_app.command("disable")
def disable(name: str) -> None:
    """A person may not sign in any more; all sessions, tokens and links of that person end."""
    _changed(name, {"active": False})


@people_app.command("enable")
def enable(name: str) -> None:
    """A person may sign in again."""
    _changed(name, {"active": True})


@people_app.command("password")
def password(
    name: str, password: Annotated[str, typer.Option(prompt=True, hide_input=True, confirmation_prompt=True)] = ""
) -> None:
    """Give a person a new password."""
    _changed(name, {"password": password})


@people_app.command("no-second-factor")
def no_second_factor(name: str) -> None:
    """Take a person's second factor away, when the app is lost."""
    _changed(name, {"second_factor": False})


@people_app.command("end-sessions")
def end_sessions(name: str) -> None:
    """End all sessions, tokens and open links of a person."""
    call("DELETE", f"/api/people/{_id(name)}/sessions")
    give({"username": name, "sessions": 0}) if context.json else note(f"All sessions of {name} have ended.")


def _link(name: str) -> str:
    path: str = call("POST", f"/api/people/{quoted(name)}/link")["path"]
    return f"{found_file('server.json', 'server')['url']}{path}"


def _id(name: str) -> int:
    for one in call("GET", "/api/people"):
        if one["username"] == name:
            return int(one["id"])
    fail("not-found", f"There is no person named {name}.", "`netloom people list` names all.", WORDS)


def _changed(name: str, change: dict[str, Any]) -> None:
    made = call("PATCH", f"/api/people/{_id(name)}", change)
    state = "may sign in" if made["active"] else "may not sign in"
    give(made) if context.json else note(f"{made['username']} is {made['role']} and {state}.")
