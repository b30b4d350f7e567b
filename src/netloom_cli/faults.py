"""Making the stand-ins misbehave."""

from __future__ import annotations

import json
from typing import Annotated, Any

import typer

from netloom_cli.changes import _pair
from netloom_cli.client import WORDS, context, fail, found_file, give, note, quoted, send
from netloom_cli.output import table

fault_app = typer.Typer(help="Make the stand-ins misbehave.", no_args_is_help=True, rich_markup_mode=None)
Unit = Annotated[str, typer.Argument(help="name, serial number or address of a stand-in")]
Seconds = Annotated[float, typer.Option(min=0.1, max=3600, help="how long")]


def register(app: typer.Typer) -> None:
    app.add_typer(fault_app, name="fault")


def _call(method: str, path: str, body: dict[str, Any] | None = None) -> Any:
    control = found_file("standins.json", "demo")
    try:
        status, answer = send(method, control["url"] + path, control["token"], body)
    except OSError:
        fail("not-running", "The stand-ins do not answer.", "Start the demo.")
    told = json.loads(answer)
    if status >= 400:
        fail("words", f"The stand-ins refuse: {told.get('problem')}", "`netloom fault list` shows them.", WORDS)
    return told


def _unit(word: str) -> str:
    units = _call("GET", "/units")["units"]
    low = word.casefold()
    for test in ("serial", "name", "where", "label"):
        found = [u for u in units if str(u[test]).casefold() == low or (test == "where" and u[test].split()[0] == low)]
        if len(found) == 1:
            return str(found[0]["id"])
    serial = _serial_on_record(word)
    if serial and any(u["id"] == serial for u in units):
        return serial
    known = ", ".join(f"{u['name']} ({u['serial']})" if u["serial"] else str(u["name"]) for u in units)
    fail("words", f"There is no stand-in {word!r}.", f"They are: {known}.", WORDS)


def _serial_on_record(word: str) -> str:
    """The serial number of the device that Netloom knows by this name, if any."""
    server = found_file("server.json", "server")
    try:
        status, answer = send("GET", f"{server['url']}/api/devices/{quoted(word)}", server["token"])
    except OSError:
        return ""
    return str(json.loads(answer)["serial"]) if status == 200 else ""


def _fault(word: str, kind: str, **more: Any) -> None:
    done = _call("POST", f"/units/{quoted(_unit(word))}/fault", {"kind": kind, **more})
    give({"unit": done}) if context.json else note(f"{done['name']}: {kind} done.")


@fault_app.command("list")
def list_units() -> None:
    """All stand-ins and their troubles."""
    found = _call("GET", "/units")
    if context.json:
        give(found)
        return
    table(
        ("Name", "Model", "Serial number", "Where", "Troubles"),
        ((u["name"], u["model"], u["serial"], u["where"], ", ".join(f"{k}={v}" for k, v in u["faults"].items()))
         for u in found["units"]),
    )  # fmt: skip


@fault_app.command("power-cut")
def power_cut(unit: Unit) -> None:
    """Off and on again: values that were not stored are lost."""
    _fault(unit, "power-cut")


@fault_app.command()
def silence(unit: Unit) -> None:
    """It takes connections and says nothing, until cleared."""
    _fault(unit, "silence")


@fault_app.command("by-hand")
def by_hand(unit: Unit, what: Annotated[str, typer.Argument(help="factory-reset")]) -> None:
    """Do at the stand-in what a person would do at the device."""
    _fault(unit, "by-hand", do=what)


@fault_app.command("slow-boot")
def slow_boot(unit: Unit, seconds: Seconds = 10) -> None:
    """Its next starts take so long."""
    _fault(unit, "slow-boot", seconds=seconds)


@fault_app.command("pull-cable")
def pull_cable(unit: Unit, seconds: Seconds = 3) -> None:
    """At the next write the cable is out for a while: half of the values are taken."""
    _fault(unit, "pull-cable", seconds=seconds)


@fault_app.command()
def refuse(unit: Unit) -> None:
    """It refuses writes, until cleared."""
    _fault(unit, "refuse")


@fault_app.command()
def lie(unit: Unit, pointer: str) -> None:
    """It says yes to writes of this setting and does not take them, until cleared."""
    _fault(unit, "lie", path=pointer)


@fault_app.command()
def mumble(unit: Unit, pointer: str) -> None:
    """It tells no value of this setting, until cleared; of those that tell their settings as documents."""
    _fault(unit, "mumble", path=pointer)


@fault_app.command()
def load(
    unit: Unit,
    what: Annotated[str, typer.Argument(help="cut (its power goes), spoil, half (of a pair), hide (the version)")],
    share: Annotated[float, typer.Option(min=0.01, max=1, help="of the file that has come when its power goes")] = 0.5,
) -> None:
    """What goes wrong with the next firmware file that it takes."""
    _fault(unit, "load", what=what, share=share)


@fault_app.command()
def tamper(unit: Unit) -> None:
    """Its case is open, until cleared."""
    _fault(unit, "tamper")


@fault_app.command()
def lease(unit: Unit, address: Annotated[str, typer.Argument(help="empty for none")] = "") -> None:
    """From its next start on it comes up at an address that a server gives it, whatever it was told."""
    _fault(unit, "lease", address=address)


@fault_app.command()
def plug(unit: Unit, node: Annotated[str, typer.Argument(help="the node's address")], port: int = 1) -> None:
    """A fixture's DMX cable goes to another port, of its node or another one."""
    _fault(unit, "plug", into=node, port=port)


@fault_app.command()
def certificate(unit: Unit) -> None:
    """It makes its certificate anew, as after a reset."""
    _fault(unit, "certificate")


@fault_app.command()
def change(
    unit: Unit,
    assignment: Annotated[str, typer.Argument(help="POINTER=VALUE")],
    stored: Annotated[bool, typer.Option("--stored", help="and keep it")] = False,
) -> None:
    """Somebody changes a value at the device itself."""
    path, text = _pair(assignment)
    _fault(unit, "change", path=path, value=text, stored=stored)


@fault_app.command()
def point(unit: Unit, name: str, state: str) -> None:
    """Something happens at a terminal, like `input-1 active`."""
    _fault(unit, "point", point=name, state=state)


@fault_app.command("clock")
def own_clock(unit: Unit, ahead: Annotated[float, typer.Option(help="seconds; behind with a minus")] = 3600) -> None:
    """Its own clock is wrong."""
    _fault(unit, "clock", ahead=ahead)


@fault_app.command()
def flutter(
    unit: Unit,
    name: str,
    states: Annotated[str, typer.Option(help="the two between which it changes, at rest first")] = "off,on",
    every: Annotated[float, typer.Option(min=0.02, max=60, help="seconds between two changes")] = 1.0,
    seconds: Seconds = 60,
) -> None:
    """A point changes again and again by itself, like a relay that is out of step."""
    _fault(unit, "flutter", point=name, states=states.split(","), every=every, seconds=seconds)


@fault_app.command()
def clear(unit: Unit) -> None:
    """No more troubles."""
    _fault(unit, "clear")


@fault_app.command("port")
def port(
    name: Annotated[str, typer.Argument(help="name of a serial port, as `fault ports` lists them")],
    rename: Annotated[str, typer.Option(help="come back under this name")] = "",
    crackle: Annotated[bool | None, typer.Option("--crackle/--still", help="bytes that drivers leave on it")] = None,
) -> None:
    """The adapter of a serial line is pulled out; with --rename it comes back as another port.

    With --crackle it stays, and whoever is switched on or off leaves a byte on the line.
    """
    body: dict[str, Any] = {"kind": "unplug"}
    said = "pulled out"
    if rename:
        body, said = {"kind": "rename", "to": rename}, f"came back as {rename}"
    elif crackle is not None:
        body, said = {"kind": "crackle", "on": crackle}, "crackles" if crackle else "is still"
    done = _call("POST", f"/ports/{quoted(name)}", body)
    give(done) if context.json else note(f"{name}: {said}.")


@fault_app.command("ports")
def list_ports() -> None:
    """The stand-ins' serial ports."""
    found = _call("GET", "/ports")
    give(found) if context.json else table(("Name", "Path"), found["ports"].items())


@fault_app.command("source")
def source(
    name: Annotated[str, typer.Argument(help="as `fault sources` lists them")],
    on: Annotated[bool | None, typer.Option("--on/--off", help="switch it")] = None,
    format: Annotated[str, typer.Option(help="what it gives, like 1920x1080p60")] = "",
    protected: Annotated[bool | None, typer.Option("--protected/--free", help="whether it is copy-protected")] = None,
) -> None:
    """What gives pictures and is no device: on, off, of another format, protected."""
    body = {"on": on, "format": format or None, "protected": protected}
    done = _call("POST", f"/sources/{quoted(name)}", {key: value for key, value in body.items() if value is not None})
    give(done) if context.json else _sources(done)


@fault_app.command("sources")
def list_sources() -> None:
    """The stand-ins' sources of pictures."""
    found = _call("GET", "/sources")
    give(found) if context.json else _sources(found)


def _sources(found: dict[str, Any]) -> None:
    table(
        ("Name", "Gives", "Protected", ""),
        ((s["name"], s["format"], "yes" if s["protected"] else "", "" if s["on"] else "off") for s in found["sources"]),
    )
