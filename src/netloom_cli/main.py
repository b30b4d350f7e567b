"""All commands of the command line, one module a subject."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Annotated

import typer

from netloom_cli import (
    backups,
    changes,
    codes,
    edids,
    faults,
    feeds,
    firmware,
    people,
    places,
    profiles,
    routing,
    settings,
    survey,
    templates,
    universes,
    who,
)
from netloom_cli.client import DONE, WORDS, context, give

app = typer.Typer(
    help="Netloom's command line. `demo`, `test` and `serve` start things; all else talks to the running server.",
    no_args_is_help=True,
    add_completion=False,
    pretty_exceptions_enable=False,
    rich_markup_mode=None,
)
ABORTED = 130
DATA_HELP = "data folder of the server"


@app.callback()
def common(
    data: Annotated[Path | None, typer.Option("--data", help=DATA_HELP)] = None,
    json: Annotated[bool, typer.Option("--json", help="one JSON document on standard output")] = False,
) -> None:
    context.data = data or context.data
    context.json = json or context.json


for module in (
    survey, who, changes, places, universes, codes, settings, templates, routing, edids, feeds, backups, firmware,
    faults, people, profiles,
):  # fmt: skip
    module.register(app)


def _common_words(words: list[str]) -> list[str]:
    """`--json` and `--data DIR` may stand anywhere, also after the command's own words."""
    rest: list[str] = []
    waiting = iter(words)
    for word in waiting:
        if word == "--json":
            context.json = True
        elif word == "--data":
            context.data = Path(next(waiting, ""))
        elif word.startswith("--data="):
            context.data = Path(word.removeprefix("--data="))
        else:
            rest.append(word)
    return rest


def run() -> None:
    words = _common_words(sys.argv[1:])
    try:
        status = app(words, standalone_mode=False)
    except typer.Exit as end:
        status = end.exit_code
    except typer.Abort:
        status = ABORTED
    except typer.TyperException as error:
        print(f"{error} See --help.", file=sys.stderr)
        if context.json:
            give({"error": {"code": "words", "message": str(error), "try": "See --help."}})
        status = WORDS
    sys.exit(status if isinstance(status, int) else DONE)
