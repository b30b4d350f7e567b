"""Lines, sweeps, devices."""

from __future__ import annotations

import base64
import sys
import time
from datetime import datetime
from typing import Annotated, Any

import typer

from netloom_cli.client import DIFFERS, FAILED, WORDS, begin, call, context, fail, follow, give, note, quoted
from netloom_cli.output import say, table, value, where

LOOK_S = 0.3
line_app = typer.Typer(help="Lines.", no_args_is_help=True, rich_markup_mode=None)
area_app = typer.Typer(help="Areas.", no_args_is_help=True, rich_markup_mode=None)


def register(app: typer.Typer) -> None:
    app.command()(lines)
    app.add_typer(line_app, name="line")
    app.command()(areas)
    app.add_typer(area_app, name="area")
    app.command()(sweep)
    app.command()(devices)
    app.command()(show)
    app.command("take-in")(take_in)


def lines() -> None:
    """The lines."""
    found = call("GET", "/api/lines")
    if context.json:
        give({"lines": found})
        return
    table(
        ("Line", "Kind", "Where", "Protocol", "Trouble"),
        (
            (one["name"], one["kind"], _place_of(one), one["protocol"], _trouble_of(one))
            for one in found
        ),
    )  # fmt: skip


@line_app.command("traffic")
def line_traffic(
    line: str,
    seconds: Annotated[float, typer.Option(min=0.2, max=600, help="how long it is listened to")] = 5.0,
    hexadecimal: Annotated[bool, typer.Option("--hex", help="bytes, not text")] = False,
) -> None:
    """What passes on a serial line, both ways, from the newest that is known on. Nothing is sent for it."""
    path = f"/api/lines/{quoted(one_of('line', line)['id'])}/traffic"
    until, told, pieces = time.monotonic() + seconds, call("POST", path, {"since": 0}), []
    while True:
        pieces += told["pieces"]
        if not context.json:
            for piece in told["pieces"]:
                say(_passed(piece, hexadecimal))
        if (left := until - time.monotonic()) <= 0:
            break
        time.sleep(min(LOOK_S, left))
        told = call("POST", path, {"since": pieces[-1]["number"] if pieces else 0})
    if context.json:
        give({**told, "pieces": pieces})
        return
    note(told["trouble"] or ", ".join(f"{kind} errors {count}" for kind, count in told["errors"].items()))


def _passed(piece: dict[str, Any], hexadecimal: bool) -> str:
    data, at = base64.b64decode(piece["data"]), datetime.fromtimestamp(piece["time"])
    shown = data.hex(" ") if hexadecimal else data.decode("latin-1").encode("unicode_escape").decode()
    return f"{at:%H:%M:%S.%f}"[:-3] + f"  {'sent' if piece['out'] else 'came'}  {shown}"


def _trouble_of(line: dict[str, Any]) -> str:
    return "archived" if line["archived"] else str(line["trouble"])


def _place_of(line: dict[str, Any]) -> str:
    framing = "" if line["parity"] == "N" else f", 8{line['parity']}1"
    return line["network"] or line["parent_name"] or f"{line['path']} · {line['speed']} baud{framing}"


@line_app.command("add")
def line_add(
    ip: Annotated[str | None, typer.Option("--ip", help="network, like 127.20.10.0/24")] = None,
    interface: Annotated[str, typer.Option(help="network interface")] = "",
    serial: Annotated[str | None, typer.Option("--serial", help="path of a port, or rfc2217://HOST:PORT")] = None,
    speed: Annotated[int, typer.Option(help="baud")] = 9600,
    protocol: Annotated[str, typer.Option(help="osdp, modbus or dialogue")] = "osdp",
    parity: Annotated[str, typer.Option(help="N, E or O")] = "N",
    name: Annotated[str, typer.Option(help="name of the line")] = "",
) -> None:
    """Add a line."""
    if (ip is None) == (serial is None):
        fail("words", "A line is either --ip NETWORK or --serial PATH.", "Give one of the two.")
    body: dict[str, Any] = {"name": name}
    if ip is not None:
        body |= {"kind": "ip", "network": ip, "interface": interface}
    else:
        body |= {"kind": "serial", "path": serial, "speed": speed, "protocol": protocol, "parity": parity}
    made = call("POST", "/api/lines", body)
    give({"line": made}) if context.json else note(f"Added line {made['name']}.")


def one_of(kind: str, word: str) -> dict[str, Any]:
    """The line or the area of that name or id."""
    for one in call("GET", f"/api/{kind}s"):
        if word == one["id"] or word.casefold() == one["name"].casefold():
            found: dict[str, Any] = one
            return found
    fail("not-found", f"There is no {kind} {word}.", f"`{kind}s` lists them.")


@line_app.command("set")
def line_set(
    line: str,
    name: Annotated[str, typer.Option(help="its new name")] = "",
    serial: Annotated[str, typer.Option(help="path of its port, or rfc2217://HOST:PORT")] = "",
    speed: Annotated[int, typer.Option(help="its usual speed in baud")] = 0,
    parity: Annotated[str, typer.Option(help="N, E or O")] = "",
) -> None:
    """Another name; of a serial line another port, speed or parity. No device is told anything."""
    given = {"name": name, "path": serial, "speed": speed, "parity": parity}
    body = {key: value for key, value in given.items() if value}
    if not body:
        fail("words", "Nothing is to be set.", "Say --name, --serial, --speed or --parity.", WORDS)
    made = call("PATCH", f"/api/lines/{quoted(one_of('line', line)['id'])}", body)
    give({"line": made}) if context.json else note(f"{made['name']}: {_place_of(made)}.")


@line_app.command("remove")
def line_remove(line: str) -> None:
    """Take a line away, with the strangers on it; devices of the installation hold it."""
    found = one_of("line", line)
    call("DELETE", f"/api/lines/{quoted(found['id'])}")
    give({"line": found["name"], "removed": True}) if context.json else note(f"Removed line {found['name']}.")


@line_app.command("merge")
def line_merge(line: str, into: str) -> None:
    """All that is known of a line goes to another one of its kind; no device is told anything."""
    found, other = one_of("line", line), one_of("line", into)
    made = call("POST", f"/api/lines/{quoted(found['id'])}/merge", {"into": other["id"]})
    give({"line": made}) if context.json else note(f"{found['name']} is part of {made['name']} now.")


@line_app.command("archive")
def line_archive(line: str) -> None:
    """Put a line away with the devices on it: all is kept, nothing goes out on it, until it is brought back."""
    _put_away("line", line, True)


@line_app.command("bring-back")
def line_bring_back(line: str) -> None:
    """Use an archived line again."""
    _put_away("line", line, False)


@line_app.command("reach")
def line_reach(
    line: str,
    address: Annotated[
        str, typer.Argument(help="of a unit in another subnet on that line's cable; `-` with --end")
    ] = "-",
    minutes: Annotated[int, typer.Option(min=1, max=240, help="how long")] = 30,
    end: Annotated[bool, typer.Option("--end", help="take second addresses away now")] = False,
) -> None:
    """Give this computer a second address, to talk to a unit in another subnet; it ends by itself."""
    path = f"/api/lines/{quoted(one_of('line', line)['id'])}/second-address"
    if end:
        call("DELETE", path)
        note("This computer has no second address there now.")
        return
    made = call("POST", path, {"near": address, "minutes": minutes})
    told = made["borrowed"]
    give(made) if context.json else note(
        f"{told['interface']} has {told['address']} too, for {minutes} minutes; {told['network']} is a line now."
    )


def _put_away(kind: str, word: str, away: bool) -> None:
    made = call("PATCH", f"/api/{kind}s/{quoted(str(one_of(kind, word)['id']))}", {"archived": away})
    give({kind: made}) if context.json else note(f"{made['name']} is {'archived' if away else 'in use again'}.")


def areas() -> None:
    """The areas, and what each is inside of."""
    found = call("GET", "/api/areas")
    if context.json:
        give({"areas": found})
        return
    names = {area["id"]: area["name"] for area in found}
    table(
        ("Area", "Inside", ""),
        ((area["name"], names.get(area["parent"], ""), "archived" if area["archived"] else "") for area in found),
    )


Inside = Annotated[str, typer.Option(help="the area that it is inside of; `-` for none")]


@area_app.command("add")
def area_add(name: str, inside: Inside = "") -> None:
    """Add an area."""
    body = {"name": name, "parent": one_of("area", inside)["id"] if inside not in ("", "-") else None}
    made = call("POST", "/api/areas", body)
    give({"area": made}) if context.json else note(f"Added area {made['name']}.")


@area_app.command("edit")
def area_edit(area: str, name: Annotated[str, typer.Option(help="its new name")] = "", inside: Inside = "") -> None:
    """Rename an area, or put it inside of another one."""
    body: dict[str, Any] = {"name": name} if name else {}
    if inside:
        body["parent"] = one_of("area", inside)["id"] if inside != "-" else None
    made = call("PATCH", f"/api/areas/{one_of('area', area)['id']}", body)
    give({"area": made}) if context.json else note(f"It is {made['name']} now.")


@area_app.command("merge")
def area_merge(area: str, into: str) -> None:
    """Its devices and the areas inside of it go to another one, and it is gone."""
    made = call("POST", f"/api/areas/{one_of('area', area)['id']}/merge", {"into": one_of("area", into)["id"]})
    give({"area": made}) if context.json else note(f"It is part of {made['name']} now.")


@area_app.command("remove")
def area_remove(area: str) -> None:
    """Its devices are in the area around it from then on, or in none."""
    found = one_of("area", area)
    call("DELETE", f"/api/areas/{found['id']}")
    give({"area": found["name"], "removed": True}) if context.json else note(f"Removed area {found['name']}.")


@area_app.command("archive")
def area_archive(area: str) -> None:
    """Put an area away that has no devices on lines in use; it is kept, and offered nowhere."""
    _put_away("area", area, True)


@area_app.command("bring-back")
def area_bring_back(area: str) -> None:
    """Use an archived area again."""
    _put_away("area", area, False)


@line_app.command("access")
def line_access(
    line: str,
    community: Annotated[
        list[str] | None, typer.Option(help="an SNMP community; `-` reads it from standard input")
    ] = None,
    snmp_user: Annotated[str, typer.Option(help="an SNMPv3 user; its keys are asked for")] = "",
    auth: Annotated[str, typer.Option(help="MD5, SHA, SHA-224 to SHA-512; empty for none")] = "SHA-256",
    priv: Annotated[
        str, typer.Option(help="AES, AES-256 or AES-256-R (the other way to stretch a key); empty for none")
    ] = "AES",
    onvif_user: Annotated[
        str, typer.Option(help="an ONVIF user of the line's cameras; its password is asked for")
    ] = "",
    forget: Annotated[bool, typer.Option("--forget", help="back to the usual community and no logins")] = False,
) -> None:
    """How sweeps may ask on a line. Without options: what is kept, never a secret.

    Each kind that is given replaces what is kept of that kind. Keys and passwords are asked for, or read from
    standard input, one a line, when that is no terminal.
    """
    found = one_of("line", line)
    path = f"/api/lines/{quoted(found['id'])}/access"
    body: dict[str, Any] = {}
    if community:
        body["communities"] = [asked("Community") if one == "-" else one for one in community]
    if snmp_user:
        keys = {
            "auth_key": asked("Authentication key") if auth else "",
            "priv_key": asked("Privacy key") if priv else "",
        }
        body["users"] = [{"name": snmp_user, "auth": auth, "priv": priv, **keys}]
    if onvif_user:
        body["onvif"] = [{"name": onvif_user, "password": asked("ONVIF password")}]
    if forget:
        call("DELETE", path)
    if body:
        call("PUT", path, body)
    kept = next(one for one in call("GET", "/api/lines") if one["id"] == found["id"])["access"]
    if context.json:
        give({"line": found["name"], "access": kept})
        return
    count = kept["communities"]
    communities = f"{count} {'community' if count == 1 else 'communities'}" if count else "the usual community"
    say(f"{found['name']}: {communities}")
    for title, users in (("SNMPv3", kept["users"]), ("ONVIF", kept["onvif"])):
        say(f"{title} users: {', '.join(users) or 'none'}")


def asked(what: str) -> str:
    """A secret, which is never in the words of a command: other users of the computer can see those."""
    if sys.stdin.isatty():
        return str(typer.prompt(what, hide_input=True))
    given = sys.stdin.readline().rstrip("\n")
    if not given:
        fail("words", f"{what} is missing on standard input.", "Give one line for each, in the order of the options.")
    return given


def sweep(lines: Annotated[list[str] | None, typer.Argument(help="lines; all when none is named")] = None) -> None:
    """Sweep lines and wait: who was found, where and how, and who is missing and why."""
    run = begin({"kind": "sweep", "lines": lines or []})
    if not context.json:
        note("Sweeping …")
    run = follow(run, told=lambda step: None)
    if run["state"] == "failed":
        fail("sweep", run["message"] or "The sweep did not end as it should.", "Look at the server's log.", FAILED)
    result = run["result"]
    found, missing = result.get("found", []), result.get("missing", [])
    unasked = result.get("not_looked", [])
    if context.json:
        give(
            {
                "run": run["id"],
                "found": found,
                "missing": missing,
                "not_looked": unasked,
                "troubles": result.get("troubles", []),
            }
        )
    else:
        table(
            ("Status", "Device", "Address", "Line", "Methods", "Serial number"),
            ((f["status"], f["name"], f["address"] + (f" · {f['speed']} baud" if f["speed"] else ""), f["line"],
              ", ".join(f["methods"]), f["facts"].get("serial", "")) for f in found),
        )  # fmt: skip
        for one in [*missing, *unasked]:
            what = "Missing" if one in missing else "Not looked at"
            say(f"\n{what}: {one['name']} on {one['line']}")
            for reason in one["reasons"]:
                say(f"  {reason['reason']}\n    Try: {reason['try']}")
        for trouble in result.get("troubles", []):
            note(f"{trouble['line']}: {trouble['message']}\n  Try: {trouble['try']}")
    if (
        missing
        or unasked
        or result.get("troubles")
        or any(f["status"] != "known" and f["status"] != "new" for f in found)
    ):
        raise typer.Exit(DIFFERS)


def devices() -> None:
    """All devices."""
    found = call("GET", "/api/devices")
    if context.json:
        give(found)
        return
    table(
        ("Id", "Name", "Model", "Serial number", "Where", "State", "To do"),
        ((d["id"], d["name"], d["model"], d["serial"], where(d), _state(d), _to_do(d)) for d in found["devices"]),
    )


def _state(device: dict[str, Any]) -> str:
    return str(device["state"]) if device["taken_in"] else f"{device['state']}, not taken in"


def _to_do(device: dict[str, Any]) -> str:
    counts = device["counts"]
    return ", ".join(f"{counts[name]} {name}" for name in ("pending", "unkept", "drift", "lost") if counts[name])


def show(device: str) -> None:
    """One device with its four sets of values, points and states."""
    found = call("GET", f"/api/devices/{quoted(device)}?live=1")
    if context.json:
        give(found)
        return
    say(f"{found['name']} ({found['id']})  {found['maker']} {found['model']}  {found['serial']}")
    say(f"{where(found)}  firmware {found['firmware'] or '–'}  {found['state']}")
    if found["firmware_trouble"]:
        say(f"  Its firmware is {found['firmware_trouble']}.")
    if found["read_trouble"]:
        say(f"  Last try to read: {found['read_trouble']}")
    table(
        ("Setting", "Path", "Intended", "Running", "Startup", "Baseline"),
        (
            (
                s["label"],
                s["path"],
                value(s["intended"]),
                "unreadable" if s["unreadable"] else value(s["running"]),
                value(s["startup"]),
                value(s["baseline"]),
            )
            for s in found["settings"]
        ),
    )
    for setting in found["settings"]:
        if setting["unreadable"]:
            note(f"{setting['path']} cannot be read: {setting['unreadable']}.")
    table(("Point", "Label", "State"), ((p["short"], p["label"], p["state"]) for p in found["points"]))


def take_in(
    devices: list[str],
    name: Annotated[str, typer.Option(help="name, or pattern with {n}, {nn}, {model}, {serial}, {last}, {area}")] = "",
    stands_for: Annotated[str, typer.Option("--as", help="planned device that this one is")] = "",
) -> None:
    """Make found devices part of the installation."""
    taken = call("POST", "/api/take-in", {"devices": devices, "name": name, "stands_for": stands_for})
    if context.json:
        give(taken)
    else:
        for one in taken["devices"]:
            note(f"Took in {one['name']} ({one['id']}).")
