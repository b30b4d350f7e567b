"""EDIDs: read and checked, kept by name, given to inputs."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer

from netloom_cli.client import DIFFERS, WORDS, call, context, fail, give, note, quoted
from netloom_cli.output import say, table

edid_app = typer.Typer(help="EDIDs: read, check, keep, give to inputs.", no_args_is_help=True, rich_markup_mode=None)
MOST_BYTES = 200_000


def register(app: typer.Typer) -> None:
    app.add_typer(edid_app, name="edid")


def _text(file: Path) -> str:
    """What is in a file: bytes as hexadecimal, a text as it is."""
    try:
        with file.open("rb") as opened:
            content = opened.read(MOST_BYTES + 1)
    except OSError as error:
        fail("words", f"{file.name} cannot be read: {error.strerror}.", "Name another file.", WORDS)
    if len(content) > MOST_BYTES:
        fail("words", f"{file.name} is too large for an EDID.", "It has 128 to 32768 bytes.", WORDS)
    return content.hex() if content.startswith(b"\0\xff\xff") else content.decode("latin-1")


def _shown(told: dict[str, Any]) -> None:
    if context.json:
        give(told)
    else:
        _in_words(told)
    if any(one["severity"] == "error" for one in told["findings"]):
        raise typer.Exit(DIFFERS)


def _in_words(told: dict[str, Any]) -> None:
    say(f"{told['maker']} {told['name']} {told['serial']}  EDID {told['version']}, {told['interface']}")
    say(f"A source picks {told['picks'] or 'nothing'}: {told['because']}.")
    for word in ("hdmi", "hdr"):
        if told[word]:
            say(f"{word.upper()}: {told[word]}")
    for word in ("sounds", "colours", "blocks"):
        if told[word]:
            say(f"{word.capitalize()}: {'; '.join(told[word])}")
    rows = ((m["label"], m["clock_mhz"], m["said_by"], "4:2:0 only" if m["only_420"] else "") for m in told["modes"])
    table(("Mode", "MHz", "Said by", ""), rows)
    for one in told["findings"]:
        say(f"{one['severity']}: {one['where']}: {one['message']}.")


@edid_app.command("list")
def list_() -> None:
    """Those that are kept."""
    told = call("GET", "/api/routing/edids")
    if context.json:
        give(told)
        return
    table(("Name", "Bytes", "From", "Kept by"),
          ((e["name"], len(e["octets"]) // 2, e["origin"], e["by"]) for e in told["edids"]))  # fmt: skip


@edid_app.command("show")
def show(what: Annotated[str, typer.Argument(help="a file, or the name of a kept one")]) -> None:
    """What one says, what is wrong with it, and what a source picks of it."""
    if Path(what).is_file():
        _shown(call("POST", "/api/routing/edids/read", {"text": _text(Path(what))}))
    else:
        _shown(call("GET", f"/api/routing/edids/{quoted(what)}"))


@edid_app.command("keep")
def keep(name: str, file: Path) -> None:
    """Keep one from a file; a damaged one is refused."""
    made = call("POST", "/api/routing/edids", {"name": name, "text": _text(file), "origin": file.name[:200]})
    give(made) if context.json else note(f"Kept as {made['name']}.")


@edid_app.command("drop")
def drop(name: str) -> None:
    """Forget a kept one."""
    call("DELETE", f"/api/routing/edids/{quoted(name)}")
    give({"removed": name}) if context.json else note("It is forgotten.")


@edid_app.command("at")
def at(device: str) -> None:
    """What each input of a device shows, and what of it no display behind it takes."""
    told = call("GET", f"/api/routing/edids/at/{quoted(device)}?ask=1")
    if context.json:
        give(told)
    else:
        table(
            ("Input", "Shows", "A source picks", "Displays behind it", "In vain"),
            (
                (
                    one["label"],
                    (one["edid"] or {}).get("name", "its own"),
                    (one["edid"] or {}).get("picks", ""),
                    ", ".join(d["name"] for d in one["displays"]),
                    "; ".join(one["in_vain"]),
                )
                for one in told["inputs"]
            ),
        )
    if any(one["in_vain"] for one in told["inputs"]):
        raise typer.Exit(DIFFERS)


@edid_app.command("give")
def give_to(
    device: str,
    pointer: Annotated[str, typer.Argument(help="the setting, like /inputs/1/edid")],
    name: Annotated[str, typer.Argument(help="a kept one, or a file")],
) -> None:
    """Decide an EDID for an input; `netloom apply` writes it."""
    if Path(name).is_file():
        octets = call("POST", "/api/routing/edids/read", {"text": _text(Path(name))})["octets"]
    else:
        octets = call("GET", f"/api/routing/edids/{quoted(name)}")["octets"]
    body = {"changes": [{"device": device, "path": pointer, "value": octets, "forget": False}]}
    told = call("POST", "/api/intended", body)
    give(told) if context.json else note(f"Decided; `netloom apply {device}` writes it.")
