"""Templates: a named part of one device's values, decided for others, and where it no longer holds."""

from __future__ import annotations

from typing import Annotated, Any

import typer

from netloom_cli.client import DIFFERS, call, context, fail, give, note
from netloom_cli.output import table, value

template_app = typer.Typer(
    help="A part of one device's values for others.", no_args_is_help=True, rich_markup_mode=None
)


def register(app: typer.Typer) -> None:
    app.add_typer(template_app, name="template")


def _named(name: str) -> dict[str, Any]:
    found = [one for one in call("GET", "/api/templates")["templates"] if one["name"].casefold() == name.casefold()]
    if not found:
        fail("words", f"There is no template {name}.", "`netloom template list` shows them.")
    one: dict[str, Any] = found[0]
    return one


@template_app.command("list")
def list_() -> None:
    """All templates, and on how many devices each holds."""
    told = call("GET", "/api/templates")
    if context.json:
        give(told)
        return
    table(
        ("Template", "For", "Values", "Holds on"),
        (
            (one["name"], one["profile"], len(one["values"]), f"{_count(one, 'holds')} of {len(one['uses'])}")
            for one in told["templates"]
        ),
    )


def _count(one: dict[str, Any], state: str) -> int:
    return sum(1 for use in one["uses"] if use["state"] == state)


@template_app.command("make")
def make(
    name: str,
    device: str,
    pointers: Annotated[list[str], typer.Argument(help="POINTER or POINTER=VALUE; a text may have {n}, {area} …")],
) -> None:
    """Make a template of what is decided on a device, else of what it has; one with that name is replaced."""
    split = [word.partition("=") for word in pointers]
    values = {path: text for path, mark, text in split if mark}
    body = {"name": name, "device": device, "paths": [path for path, _, _ in split], "values": values}
    made = call("POST", "/api/templates", body)
    give(made) if context.json else note(f"{made['name']}: {len(made['values'])} values.")


@template_app.command("apply")
def apply(name: str, devices: Annotated[list[str], typer.Argument(help="devices, counted in this order")]) -> None:
    """Decide its values for these devices; `netloom apply` writes them."""
    told = call("POST", f"/api/templates/{_named(name)['id']}/apply", {"devices": devices})
    give(told) if context.json else note(f"{len(told['devices'])} decided; `netloom apply` writes them.")


@template_app.command("check")
def check(name: str) -> None:
    """Where it was applied, and where it no longer holds."""
    one = _named(name)
    if context.json:
        give(one)
    else:
        table(("Device", "It", "Differs"), ((use["name"], use["state"], _differs(use)) for use in one["uses"]))
    if any(use["state"] in ("differs", "gone") for use in one["uses"]):
        raise typer.Exit(DIFFERS)


def _differs(use: dict[str, Any]) -> str:
    return "; ".join(f"{one['called']} {value(one['has'])}, not {value(one['wanted'])}" for one in use["differs"])


@template_app.command("remove")
def remove(name: str) -> None:
    """Forget a template; what was decided by it stays decided."""
    call("DELETE", f"/api/templates/{_named(name)['id']}")
    note("It is forgotten.")
