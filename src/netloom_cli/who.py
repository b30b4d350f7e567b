"""Why something is not there, who is who, lists of expected devices, methods, ports, watch mode."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer

from netloom_cli.client import DIFFERS, call, context, fail, give, note, quoted
from netloom_cli.output import say, table
from netloom_cli.survey import line_app

MAX_LIST = 4_000_000


def register(app: typer.Typer) -> None:
    app.command()(why)
    app.command()(look)
    app.command()(find)
    app.command()(ports)
    app.command()(expect)
    app.command()(join)
    app.command()(part)
    app.command("say")(say_what)
    app.command()(watch)
    app.command()(changes)
    line_app.command("methods")(methods)


def why(
    place: Annotated[str, typer.Argument(help="a device, or ADDRESS@LINE")],
) -> None:
    """Make the tests for one device or address now, and say why it is not there."""
    address, at, line = place.partition("@")
    body = {"line": line, "address": address} if at else {"device": place}
    found = call("POST", "/api/why", body)
    if context.json:
        give(found)
    else:
        if found["there"]:
            say(found["there"])
        for number, reason in enumerate(found["reasons"], 1):
            say(f"{number}. {reason['reason']}\n     Try: {reason['try']}\n     Known from: {reason['test']}")
    if not found["there"]:
        raise typer.Exit(DIFFERS)


def look(
    device: str,
    light: Annotated[str, typer.Argument(help="as printed at it; without one, what can be seen is listed")] = "",
    pattern: Annotated[str, typer.Argument(help="off, steady, slow, fast, double, alternating, chime, tone")] = "",
    colour: Annotated[str, typer.Option(help="where it has several")] = "",
) -> None:
    """Say what a light of a device shows: evidence for `why`, where it says nothing on the wire."""
    if not (light and pattern):
        face = call("GET", f"/api/devices/{quoted(device)}")["face"]
        if context.json:
            give({"lights": face["lights"]})
            return
        table(
            ("Light", "Where", "Shows", "Means"),
            ((one["printed"], one["where"], f"{shown['pattern']} {shown['colour']}".strip(), shown["means"])
             for one in face["lights"] for shown in one["patterns"]),
        )  # fmt: skip
        return
    body = {"printed": light, "pattern": pattern, "colour": colour}
    told = call("POST", f"/api/devices/{quoted(device)}/lights", body)
    give(told) if context.json else say(f"{told['means']} {told['then']}".strip())


def find(
    words: Annotated[list[str], typer.Argument(help="like: pulse time '>' 1, or: idle = closed, or: chime")],
) -> None:
    """Settings of the whole installation by their label, place or value."""
    found = call("GET", f"/api/find?q={quoted(' '.join(words))}")
    if context.json:
        give(found)
        return
    table(("Device", "Setting", "Value"), ((one["name"], one["label"], one["value"]) for one in found["settings"]))
    if found["count"] > len(found["settings"]):
        note(f"{found['count']} in all.")


def ports() -> None:
    """The serial ports of this computer, with their adapters and who uses them."""
    found = call("GET", "/api/ports")
    if context.json:
        give({"ports": found})
        return
    table(
        ("Port", "Title", "USB", "Serial number", "Place", "Line", "Held by"),
        ((p["path"], p["title"], ":".join(filter(None, (p["vendor"], p["product"]))), p["usb_serial"], p["place"],
          p["line"], p["held"]) for p in found),
    )  # fmt: skip


def expect(
    file: Annotated[Path, typer.Argument(help="CSV or XLSX with columns name, model, line, address, area, serial")],
    plan: Annotated[bool, typer.Option("--plan", help="also plan the good rows")] = False,
) -> None:
    """Look at a list of devices that should be there."""
    try:
        content = file.read_bytes()
    except OSError as error:
        fail("words", f"{file} cannot be read: {error.strerror}.", "Name a CSV or XLSX file.")
    if len(content) > MAX_LIST:
        fail("words", f"{file} is too large.", "Split it.")
    looked = call("POST", f"/api/expected/{quoted(file.name)}{'?plan=1' if plan else ''}", content=content)
    if context.json:
        give(looked)
    else:
        table(
            ("Row", "Name", "Model", "Line", "Address", "What becomes of it"),
            ((r["row"], r["name"], r["model"], r["line"], r["address"], _fate(r, looked["planned"]))
             for r in looked["rows"]),
        )  # fmt: skip
    if any(row["problem"] for row in looked["rows"]):
        raise typer.Exit(DIFFERS)


def _fate(row: dict[str, Any], planned: list[str]) -> str:
    if row["problem"]:
        return f"{row['problem']} {row['try']}"
    if row["device"] in planned:
        return "planned"
    return "on record already" if row["device"] else "can be planned"


def join(device: str, other: str) -> None:
    """Say that two records are one device."""
    done = call("POST", f"/api/devices/{quoted(device)}/join", {"other": other})
    give(done) if context.json else note(f"{done['devices'][0]['name']} is one device now.")


def part(device: str, keys: list[str]) -> None:
    """Say that some of a device's keys (see `show --json`) belong to another device."""
    done = call("POST", f"/api/devices/{quoted(device)}/part", {"keys": keys})
    give(done) if context.json else note("Parted; the other device shows itself at the next sweep.")


def say_what(device: str, profile: Annotated[str, typer.Argument(help="id of a profile, or empty")]) -> None:
    """Say what a device is; sweeps do not overrule that."""
    done = call("PATCH", f"/api/devices/{quoted(device)}", {"profile": profile})
    give(done) if context.json else note(f"{done['name']} is a {done['maker']} {done['model']}.")


def watch(minutes: Annotated[int | None, typer.Argument(min=0, max=1440, help="0 for never")] = None) -> None:
    """Sweep all lines by itself every so many minutes; without a number tells how it is."""
    mode = call("GET", "/api/watch-mode") if minutes is None else call("PUT", "/api/watch-mode", {"minutes": minutes})
    if context.json:
        give(mode)
    else:
        note(f"Sweeps by itself every {mode['minutes']} min." if mode["minutes"] else "Sweeps only when asked.")


def changes() -> None:
    """Comings and goings that sweeps noticed, newest first."""
    found = call("GET", "/api/changes")
    if context.json:
        give({"changes": found})
        return
    table(("Time", "Device", "What", "Address", "Line"),
          ((c["time"][:19], c["name"], c["what"], c["address"], c["line"]) for c in found))  # fmt: skip


def methods(
    line: str,
    off: Annotated[list[str] | None, typer.Option("--off", help="switch a method off")] = None,
    on: Annotated[list[str] | None, typer.Option("--on", help="switch a method on")] = None,
) -> None:
    """The sweep methods of a line: switch them, see how long each took and what it saw."""
    found = call("GET", f"/api/lines/{quoted(line)}")
    if off or on:
        now = {m["name"] for m in found["methods"] if not m["on"]}
        wanted = sorted((now | set(off or [])) - set(on or []))
        found = call("PATCH", f"/api/lines/{quoted(line)}", {"off": wanted})
    if context.json:
        give({"line": found["name"], "methods": found["methods"]})
        return
    table(
        ("On", "Name", "Method", "Took", "Sent", "Saw", "Notes"),
        (("yes" if m["on"] else "no", m["name"], m["title"], f"{m['seconds']:.1f} s" if m["state"] else "–", m["sent"],
          m["seen"], " ".join(m["notes"])) for m in found["methods"]),
    )  # fmt: skip
