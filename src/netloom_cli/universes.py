"""DMX universes: who listens where, which port sends what, places by rules, and the patch sheet as a table."""

from __future__ import annotations

import time
from pathlib import Path
from typing import Annotated, Any

import typer

from netloom_cli.client import DIFFERS, call, context, download, fail, give, note, quoted
from netloom_cli.output import table
from netloom_cli.places import fate, read_back
from netloom_cli.survey import one_of

universe_app = typer.Typer(help="DMX universes of a network.", no_args_is_help=True, rich_markup_mode=None)


def register(app: typer.Typer) -> None:
    app.add_typer(universe_app, name="universe")


def _of(line: str) -> dict[str, Any]:
    told: dict[str, Any] = call("GET", f"/api/lines/{quoted(one_of('line', line)['id'])}/universes")
    return told


@universe_app.command("list")
def list_(line: str) -> None:
    """Who listens where on a network, and which ports send it."""
    told = _of(line)
    if context.json:
        give(told)
        return
    for one in told["universes"]:
        sending = [o for o in told["outputs"] if o["universe"] == one["number"]]
        ports = [f"{o['name']} {o['called']}" for o in sending if o["used"]]
        idle = len(sending) - len(ports)
        ports += [f"{idle} {'ports' if idle > 1 else 'port'} that nobody uses"] if idle else []
        sent = f"sent by {', '.join(ports)}" if ports else "sent by no port"
        title = ", ".join(word for word in (one["shown"], one["name"]) if word)
        note(f"Universe {title}: {sent}; {one['free']} slots free.")
    fixtures = sorted(
        told["fixtures"], key=lambda f: (f["universe"] is None, f["universe"] or 0, f["start"], f["name"])
    )
    table(
        ("Fixture", "Universe", "Slots", "Personality", "Now"),
        ((f["name"], _text(f["universe"]), _span(f["start"], f["last"]), f["personality"], _now(f)) for f in fixtures),
    )


def _text(number: int | None) -> str:
    return "" if number is None else str(number)


def _span(start: int, last: int) -> str:
    return f"{start} to {last}" if last > start else str(start or "")


def _now(one: dict[str, Any]) -> str:
    if not one["fitted"]:
        return "not there yet"
    where = f"universe {one['heard']}" if one["heard"] is not None else "universe not known"
    return f"{where}, {_span(one['at'], one['at'] + one['takes'] - 1)}"


@universe_app.command("plan")
def plan(
    devices: Annotated[list[str], typer.Argument(help="fixtures")],
    universe: Annotated[int | None, typer.Option(min=0, max=32767, help="they are to go to this one")] = None,
    decide: Annotated[bool, typer.Option("--decide", help="decide it; `apply` writes it")] = False,
) -> None:
    """Where fixtures would listen by the rules of their universes, and why."""
    made = call("POST", "/api/universes/propose", {"devices": devices, "universe": universe})["proposals"]
    changes = [one for one in made if not one["stays"] and not one["problem"]]
    if decide and changes:
        given = [{name: one[name] for name in ("device", "universe", "start", "version")} for one in changes]
        call("POST", "/api/universes/decide", {"assignments": given})
    if context.json:
        give({"proposals": made, "decided": len(changes) if decide else 0})
    else:
        for one in made:
            place = f"universe {one['universe']}, {_span(one['start'], one['start'] + one['slots'] - 1)}"
            note(f"{one['name']}: {one['problem'] or place}  {' '.join(one['why'])}")
        note(f"{len(changes)} decided; `netloom apply` writes them." if decide else f"{len(changes)} would change.")
    if any(one["problem"] for one in made):
        raise typer.Exit(DIFFERS)


@universe_app.command("set")
def set_(
    device: str,
    universe: Annotated[int | None, typer.Option(min=0, max=32767, help="the universe that it is to hear")] = None,
    start: Annotated[int | None, typer.Option(min=1, max=512, help="its start address")] = None,
    personality: Annotated[str | None, typer.Option(help="by its value or its name")] = None,
    shares: Annotated[str | None, typer.Option(help="a word: those with the same one may have the same slots")] = None,
) -> None:
    """Decide by hand where a fixture listens; `apply` writes it."""
    found = call("GET", f"/api/devices/{quoted(device)}")
    wanted = {"universe": universe, "start": start, "personality": personality, "shares": shares}
    values = {name: value for name, value in wanted.items() if value is not None}
    if not values:
        fail("words", "Nothing is said.", "Give --universe, --start, --personality or --shares.")
    call("POST", "/api/universes/decide", {"assignments": [{"device": found["id"], **values}]})
    give({"decided": 1}) if context.json else note("Decided; `netloom apply` writes it.")


@universe_app.command("port")
def port(
    node: str,
    port_: Annotated[str, typer.Argument(metavar="PORT", help="as it is called on the node, or its number")],
    universe: Annotated[int, typer.Argument(min=0, max=32767)],
) -> None:
    """Let a port of a node send a universe; `apply` writes it."""
    found = call("GET", f"/api/devices/{quoted(node)}")
    lines = [place["line_id"] for place in found["addresses"]]
    told = call("GET", f"/api/lines/{lines[0]}/universes") if lines else {"outputs": []}
    ports = [one for one in told["outputs"] if one["device"] == found["id"]]
    word = port_.casefold()
    meant = [one for n, one in enumerate(ports, 1) if word in (one["called"].casefold(), str(n), _mark(one))]
    if len(meant) != 1:
        there = ", ".join(one["called"] for one in ports) or "none that is known"
        fail("words", f"{found['name']} has no port {port_}.", f"Its ports: {there}.")
    body = {"device": found["id"], "path": meant[0]["path"], "universe": universe, "version": meant[0]["version"]}
    call("POST", f"/api/lines/{lines[0]}/universes/port", body)
    give({"decided": 1}) if context.json else note("Decided; `netloom apply` writes it.")


def _mark(one: dict[str, Any]) -> str:
    mark: str = one["called"].rpartition(" ")[2].casefold()
    return mark


@universe_app.command("sheet")
def sheet(line: str, file: Annotated[Path, typer.Argument(help="where the CSV goes")]) -> None:
    """The patch sheet of a network as CSV."""
    size, digest = download(f"/api/lines/{quoted(one_of('line', line)['id'])}/patch/patch.csv", file)
    told = {"file": str(file), "bytes": size, "sha256": digest}
    give(told) if context.json else note(f"{file}: {size} bytes.")


@universe_app.command("import")
def import_sheet(
    line: str,
    file: Annotated[Path, typer.Argument(help="CSV or XLSX, as `sheet` makes it")],
    decide: Annotated[bool, typer.Option("--decide", help="decide what the good rows say; `apply` writes it")] = False,
) -> None:
    """What a changed patch sheet would change; bad rows are named, new fixtures are planned."""
    read_back(f"/api/lines/{quoted(one_of('line', line)['id'])}/patch", file, decide, "Fixture", _fate)


def _fate(row: dict[str, Any]) -> str:
    new = f"planned as {row['profile']}" if row["profile"] and not row["problem"] else ""
    return ", ".join(word for word in (new, fate(row)) if word)


@universe_app.command("levels")
def levels(
    line: str,
    universe: Annotated[
        int, typer.Argument(min=0, max=63999, help="as the protocol counts: sACN from 1, Art-Net from 0")
    ],
    artnet: Annotated[bool, typer.Option("--artnet", help="by Art-Net, not by sACN")] = False,
    seconds: Annotated[float, typer.Option(min=0.2, max=60, help="how long it is listened to")] = 2.0,
) -> None:
    """Who sends a universe now, and its levels; nothing is sent."""
    body = {"protocol": "artnet" if artnet else "sacn", "universe": universe}
    path = f"/api/lines/{quoted(one_of('line', line)['id'])}/levels"
    call("POST", path, body)
    time.sleep(seconds)
    told = call("POST", path, body)
    if context.json:
        give(told)
        return
    table(
        ("Source", "At", "Priority", "A second", "Lost", ""),
        (
            (s["name"], s["address"], s["priority"] or "", s["rate"], s["lost"], "" if s["counts"] else "outvoted")
            for s in told["sources"]
        ),
    )
    up = [f"{slot}:{level}" for slot, level in enumerate(told["levels"], 1) if level]
    note(told["trouble"] or told["hears"])
    note(f"{len(up)} slots up: {' '.join(up)}" if up else "No slot is up.")
