"""Routing: what reaches which display, cables, crosspoints, presets and locks."""

from __future__ import annotations

from typing import Annotated, Any

import typer

from netloom_cli.client import DIFFERS, FAILED, REFUSED, WORDS, call, context, fail, give, note, quoted
from netloom_cli.output import say, table

route_app = typer.Typer(
    help="What reaches which display; crosspoints, presets, cables, locks.", no_args_is_help=True, rich_markup_mode=None
)
NOT_TAKEN = {"refused": FAILED, "not-followed": FAILED, "not-sent": FAILED, "unknown": FAILED, "locked": REFUSED,
             "unproven": DIFFERS}  # fmt: skip
Reason = Annotated[str, typer.Option("--why", help="the reason, for everybody to see")]


def register(app: typer.Typer) -> None:
    app.add_typer(route_app, name="route")


def _end(told: dict[str, Any]) -> str:
    return f"{told['name']}, {told['label']}" if told["device"] else str(told["name"])


@route_app.command("paths")
def list_paths(
    known: Annotated[bool, typer.Option("--known", help="by what is known, asking no device")] = False,
) -> None:
    """What reaches each display, over which devices, and where it stops."""
    told = call("GET", f"/api/routing/paths{'' if known else '?ask=1'}")
    if context.json:
        give(told)
    else:
        for path in told["paths"]:
            good = not path["stops"]
            say(f"{_end(path['end'])}: {path['source'] or 'not known from where'}{'' if good else '  STOPS'}")
            say("    " + " > ".join(_hop(hop) for hop in path["hops"]))
            for stop in path["stops"]:
                say(f"    {stop['name']}: {stop['why']}.")
            for text in path["notes"]:
                say(f"    {text}.")
    if any(path["stops"] for path in told["paths"]) or told["troubles"]:
        raise typer.Exit(DIFFERS)


def _hop(hop: dict[str, Any]) -> str:
    jacks = " to ".join(one for one in (hop["into_label"], hop["out_label"]) if one)
    before = f"{hop['over']} > " if hop["over"] else ""
    return f"{before}{hop['name']} ({jacks}{', ' + hop['format'] if hop['format'] not in ('', '-') else ''})"


@route_app.command("kits")
def list_kits(
    known: Annotated[bool, typer.Option("--known", help="by what is known, asking no device")] = False,
) -> None:
    """Both halves of each transmitter and receiver kit: versions, the link, what goes over it."""
    told = call("GET", f"/api/routing/paths{'' if known else '?ask=1'}")["kits"]
    if context.json:
        give({"kits": told})
    else:
        rows = ((_half(one["sender"]), _link(one), _half(one["receiver"])) for one in told)
        table(("Sender", "Link", "Receiver"), rows)
    if any(one["linked"] is False or one["unlike"] for one in told):
        raise typer.Exit(DIFFERS)


def _half(half: dict[str, Any]) -> str:
    return " · ".join(one for one in (half["name"], half["firmware"], half["quality"]) if one)


def _link(kit: dict[str, Any]) -> str:
    there = {True: "is there", False: kit["why"], None: "not told"}[kit["linked"]]
    also = f", also {' and '.join(kit['carries'])}" if kit["carries"] else ""
    return f"{there}{also}{', unlike versions' if kit['unlike'] else ''}"


@route_app.command("jacks")
def list_jacks() -> None:
    """Where signals come in and go out, by device."""
    told = call("GET", "/api/routing/jacks")
    if context.json:
        give(told)
        return
    table(
        ("Device", "Jack", "Called", "Way", "Carries"),
        ((one["name"], j["id"], j["label"], j["way"], j["carries"]) for one in told["devices"] for j in one["jacks"]),
    )


@route_app.command("cables")
def list_cables() -> None:
    """What is plugged into what."""
    told = call("GET", "/api/routing/cables")
    if context.json:
        give(told)
        return
    table(
        ("Id", "From", "To", "Recorded by", "Proof"),
        ((one["id"], _end(one["source"]), _end(one["target"]), one["by"], one["proof"]) for one in told["cables"]),
    )


def _jack(words: str) -> tuple[str, str]:
    device, mark, jack = words.rpartition("/")
    return (device.strip(), jack.strip()) if mark else ("", words.strip())


@route_app.command("cable")
def cable(
    start: Annotated[str, typer.Argument(help="DEVICE/JACK, or what it is called that is not on record")],
    end: Annotated[str, typer.Argument(help="DEVICE/JACK, or what it is called")],
) -> None:
    """Write down that a cable goes from a jack to a jack."""
    (from_device, from_jack), (to_device, to_jack) = _jack(start), _jack(end)
    body = {"from_device": from_device, "from_jack": from_jack, "to_device": to_device, "to_jack": to_jack}
    made = call("POST", "/api/routing/cables", body)
    give(made) if context.json else note(f"Recorded as {made['id']}.")


@route_app.command("uncable")
def uncable(ident: str) -> None:
    """A cable is there no more."""
    call("DELETE", f"/api/routing/cables/{quoted(ident)}")
    give({"removed": ident}) if context.json else note("Taken off.")


@route_app.command("prove")
def prove(ident: str) -> None:
    """Switch a cable's output off for a moment, and see the signal go and come back."""
    told = call("POST", f"/api/routing/cables/{quoted(ident)}/prove")
    give(told) if context.json else note(told["proof"])


@route_app.command("behind")
def behind(device: str, jack: str) -> None:
    """What is plugged into an output: it is off for a moment, and who loses the signal is told."""
    told = call("POST", "/api/routing/behind", {"device": device, "jack": jack})
    if context.json:
        give(told)
        return
    table(("Device", "Jack", "Called"), ((one["name"], one["jack"], one["label"]) for one in told["ends"]))


def _told(done: dict[str, Any]) -> None:
    """What came of each cell, and the exit status by the worst."""
    if context.json:
        give(done)
    else:
        table(
            ("Device", "Point", "Was", "Wanted", "Is", "", ""),
            (
                (c["name"], c["label"], c["before"], c["wanted"], c["now"], c["word"], c["message"])
                for c in done["cells"]
            ),
        )
    worst = [NOT_TAKEN[cell["word"]] for cell in done["cells"] if cell["word"] in NOT_TAKEN]
    if worst:
        raise typer.Exit(FAILED if FAILED in worst else max(worst))


@route_app.command("take")
def take(
    words: Annotated[list[str], typer.Argument(help="DEVICE POINT=STATE …, and again for further devices")],
) -> None:
    """Take crosspoints, of several devices at once; each is looked at afterwards."""
    cells: list[dict[str, str]] = []
    device = ""
    for word in words:
        point, mark, state = word.partition("=")
        if not mark:
            device = word
        elif not device:
            fail("words", f"{word} of which device?", "Say DEVICE POINT=STATE.", WORDS)
        else:
            cells.append({"device": device, "point": point, "state": state})
    if not cells:
        fail("words", "Nothing to take.", "Say DEVICE POINT=STATE.", WORDS)
    _told(call("POST", "/api/routing/take", {"cells": cells}))


@route_app.command("presets")
def list_presets() -> None:
    """Presets of ours, and those in the devices."""
    told = call("GET", "/api/routing/presets?ask=1")
    if context.json:
        give(told)
        return
    table(("Preset", "Cells", "Devices", "Kept by"),
          ((p["name"], p["cells"], len(p["devices"]), p["by"]) for p in told["presets"]))  # fmt: skip
    names = {one["id"]: one["name"] for one in told["presets"]}
    table(
        ("Device", "Its own preset", "Name", "Tells", "The same as"),
        (
            (own["device_name"], own["number"], own["name"], len(own["cells"]), names.get(own["same"], ""))
            for own in told["own"]
        ),
    )


@route_app.command("keep")
def keep(
    name: str,
    devices: Annotated[list[str], typer.Argument(help="whose crosspoints are kept as they are now")],
    over: Annotated[bool, typer.Option("--over", help="write over one of that name")] = False,
) -> None:
    """Keep the crosspoints of devices under a name."""
    made = call("POST", "/api/routing/presets", {"name": name, "devices": devices, "over": over})
    give(made) if context.json else note(f"Kept as {name}.")


@route_app.command("compare")
def compare(preset: str) -> None:
    """A preset beside what is there now, cell by cell."""
    told = call("GET", f"/api/routing/presets/{quoted(preset)}?ask=1")
    if context.json:
        give(told)
    else:
        table(
            ("Device", "Point", "In the preset", "Now", ""),
            ((c["name"], c["label"], c["state"], c["now"], c["verdict"]) for c in told["cells"]),
        )
    if any(cell["verdict"] != "same" for cell in told["cells"]):
        raise typer.Exit(DIFFERS)


@route_app.command("recall")
def recall(
    preset: str,
    devices: Annotated[list[str] | None, typer.Argument(help="only their part of it")] = None,
) -> None:
    """Take a preset, over all its devices at once."""
    body = {"devices": devices} if devices else {}
    _told(call("POST", f"/api/routing/presets/{quoted(preset)}/recall", body))


@route_app.command("drop")
def drop(preset: str) -> None:
    """Forget a preset."""
    call("DELETE", f"/api/routing/presets/{quoted(preset)}")
    give({"removed": preset}) if context.json else note("It is forgotten.")


@route_app.command("locks")
def list_locks() -> None:
    """What nobody changes from here, and why."""
    told = call("GET", "/api/routing/locks")
    if context.json:
        give(told)
        return
    table(("Id", "Device", "Point", "Against", "Why", "By"),
          ((o["id"], o["name"], o["point"], o["state"], o["why"], o["by"]) for o in told["locks"]))  # fmt: skip


@route_app.command("lock")
def lock(
    device: str,
    point: str,
    why: Reason,
    against: Annotated[str, typer.Option(help="keep only this state away")] = "",
) -> None:
    """Lock a crosspoint as it is, or keep one input away from it."""
    made = call("POST", "/api/routing/locks", {"device": device, "point": point, "state": against, "why": why})
    give(made) if context.json else note(f"Locked, as {made['id']}.")


@route_app.command("unlock")
def unlock(ident: str) -> None:
    """Take a lock off: whoever made it, or a lead."""
    call("DELETE", f"/api/routing/locks/{quoted(ident)}")
    give({"removed": ident}) if context.json else note("Unlocked.")
