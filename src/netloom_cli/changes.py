"""Addresses, settings, plans and writing; driving points."""

from __future__ import annotations

import json as jsonlib
import shlex
import sys
from typing import Annotated, Any, NoReturn

import typer

from netloom_cli.client import (
    DIFFERS,
    DONE,
    FAILED,
    REFUSED,
    WORDS,
    begin,
    call,
    context,
    fail,
    follow,
    give,
    note,
    quoted,
    settled,
)
from netloom_cli.output import changes as shown_changes
from netloom_cli.output import say

ASK_FIRST = frozenset({"door", "power"})  # as the page does
Devices = Annotated[list[str] | None, typer.Argument(help="names, serial numbers, addresses or ids; all when none")]
Yes = Annotated[bool, typer.Option("--yes", help="write without asking")]


def register(app: typer.Typer) -> None:
    app.command()(address)
    app.command("set")(set_values)
    app.command()(plan)
    app.command()(rehearse)
    app.command()(apply)
    app.command()(drive)
    app.command()(perform)
    app.command()(answer)
    app.command()(restore)
    app.command()(undo)
    app.command()(credentials)
    app.command()(forget_certificate)
    app.command()(read)


def _pair(word: str) -> tuple[str, str]:
    left, equals, right = word.partition("=")
    if not equals or not left:
        fail("words", f"{word!r} lacks a value.", "Write NAME=VALUE.", WORDS)
    return left, right


def address(assignments: Annotated[list[str], typer.Argument(help="DEVICE=ADDRESS, ADDRESS@LINE")]) -> None:
    """Plan addresses; `apply` writes them."""
    body = []
    for word in assignments:
        device, place = _pair(word)
        wanted, _, line = place.partition("@")
        body.append({"device": device, "address": wanted, "line": line})
    done = call("POST", "/api/addresses", {"assignments": body})
    if context.json:
        give(done)
    else:
        for one in done["devices"]:
            note(f"{one['name']}: {one['planned_address']} is planned. `netloom apply` writes it.")


def set_values(device: str, values: Annotated[list[str], typer.Argument(help="POINTER=VALUE")]) -> None:
    """Change intended values; `apply` writes them."""
    body = []
    for word in values:
        path, text = _pair(word)
        body.append({"device": device, "path": path, "value": text})  # the server knows the type that is due
    done = call("POST", "/api/intended", {"changes": body})
    if context.json:
        give(done)
    else:
        for one in done["devices"]:
            note(f"{one['name']}: {pending_in(one)}. `netloom apply` writes them.")
            if one["counts"]["forbidden"]:
                _tell_conflicts(one)


def pending_in(one: dict[str, Any]) -> str:
    if not one["read"]:
        return "decided; it was not read yet"
    count = one["counts"]["pending"]
    return f"{count} value{'' if count == 1 else 's'} pending"


def _tell_conflicts(one: dict[str, Any]) -> None:
    """Why what is decided is not written as it is, and what near it would be."""
    found = call("GET", f"/api/devices/{one['id']}")["conflicts"]
    for broken in found["broken"]:
        note(f"  {', '.join(broken['labels'])} may not stand together so: {broken['why']}.")
    if found["offer"]:
        words = " ".join(f"{offer['path']}={jsonlib.dumps(offer['value'])}" for offer in found["offer"])
        note(f"  Near and allowed: netloom set {shlex.quote(one['name'])} {words}")


def _show_plan(made: dict[str, Any]) -> None:
    for step in made["steps"]:
        disturbs = f"  disturbs: {', '.join(step['disturbs'])}" if step["disturbs"] else ""
        what = f": {step['words']} {step['note']}".rstrip() if step["words"] else ""
        say(f"{step['name']}: {step['action']}{what}{disturbs}")
        for line in shown_changes(step["changes"]):
            say(f"    {line}")
        for path in step["unkept"]:
            say(f"    keep {path}")
    if made["again"]:
        note(f"Where the last reading shows that just that lacks, once more: {' and '.join(made['again'])}.")
    for remark in made["remarks"]:
        note(f"{remark['name']}: {remark['message']}")


def plan(devices: Devices = None) -> None:
    """What `apply` would write."""
    made = make_plan({"kind": "apply", "devices": devices or []})
    left = any(remark["code"] in LEFT_OUT for remark in made["remarks"])
    if context.json:
        give(made)
    elif not made["steps"]:
        _show_plan(made)
        note("Nothing is written: see above." if left else
             "Nothing to write: every device that could be read has its intended values.")  # fmt: skip
    else:
        _show_plan(made)
    raise typer.Exit(DIFFERS if left else DONE)


def rehearse(devices: Devices = None) -> None:
    """Play what `apply` would write on devices in memory, made of what the real ones were last read to have."""
    made = make_plan({"kind": "apply", "devices": devices or []})
    if not made["steps"]:
        _show_plan(made)
        note("There is nothing to rehearse.")
        raise typer.Exit(DONE)
    told = call("POST", f"/api/plans/{made['id']}/rehearse")
    if context.json:
        give({"plan": made["id"], **told})
    for one in told["devices"] if not context.json else []:
        say(f"{one['name']}: {one['result']}. {one['message']}".rstrip())
        if one["hint"]:
            note(f"  Try: {one['hint']}")
        if one["lost"]:
            note(f"  A power cut afterwards would take back: {', '.join(one['lost'])}")
    for remark in made["remarks"] if not context.json else []:
        note(f"{remark['name']}: {remark['message']}")
    good = all(one["result"] in GOOD and not one["lost"] for one in told["devices"])
    raise typer.Exit(DONE if good else DIFFERS)


RESULTS = {"done": 0, "unproven": 1, "skipped": 2, "failed": 3, "unknown": 4}
GOOD = ("done", "unproven")
EXITS = {"done": DONE, "unproven": DIFFERS}  # anything else is a failure
NOT_VALUES = ("procedure", "firmware")
NOT_KNOWN = ("not-in-backup",)  # remarks on what nobody can tell to be as it was
LEFT_OUT = ("left-out", "level-wanted", "forbidden", "no-order", "locked")  # remarks on what is decided and not written


def make_plan(body: dict[str, Any]) -> dict[str, Any]:
    """A plan that is ready, or the end of the program with the reason why there is none."""
    made: dict[str, Any] = call("POST", "/api/plans", body)
    made = settled(f"/api/plans/{made['id']}", "making")
    if made["state"] != "ready":
        fail("plan", made["message"] or "The plan was not made.", "Look at the run tray, then try again.", FAILED)
    return made


def _outcome(run: dict[str, Any]) -> dict[str, Any]:
    """One result a device: the worst of its steps."""
    devices: dict[str, dict[str, Any]] = {}
    for step in run["steps"]:
        one = devices.setdefault(
            step["device"],
            {"device": step["device"], "name": step["name"], "result": "done", "changes": [], "message": "", "try": ""},
        )
        if step["state"] in GOOD:
            one["changes"] += step["changes"]
        if RESULTS[step["state"]] > RESULTS[one["result"]]:
            one |= {"result": step["state"], "message": step["message"], "try": step["try"]}
    for remark in run["params"].get("remarks", []):
        if remark["code"] not in LEFT_OUT:
            continue
        there = remark["device"] in devices
        one = devices.setdefault(remark["device"], {"device": remark["device"], "name": remark["name"], "changes": []})
        if not there or one["result"] in GOOD:  # of one that was written to, the rest is left to do
            result, hint = "skipped" if there else "failed", "Look at what was left out, then apply again."
            one |= {"result": result, "message": remark["message"], "try": hint}
    for ident, name in run["params"].get("asked", {}).items():
        nothing = {
            "device": ident,
            "name": name,
            "result": "done",
            "changes": [],
            "message": "Nothing to write.",
            "try": "",
        }
        devices.setdefault(ident, nothing)
    for remark in run["params"].get("remarks", []):
        known = devices.get(remark["device"])
        if remark["code"] in NOT_KNOWN and known is not None and known["result"] == "done":
            known |= {"result": "unproven", "message": remark["message"], "try": "Look at those values by hand."}
    return {"run": run["id"], "devices": list(devices.values())}


def _end(outcome: dict[str, Any]) -> NoReturn:
    """By the worst of it: what was written and cannot be shown is done, and its proof is missing."""
    raise typer.Exit(max((EXITS.get(one["result"], FAILED) for one in outcome["devices"]), default=DONE))


def carry_out(body: dict[str, Any], yes: bool, reason: str = "") -> None:
    made = make_plan(body)
    if not context.json:
        _show_plan(made)
    if not yes and made["steps"]:
        if not sys.stdin.isatty():
            fail("refused", "Nothing was done: the plan was not agreed to.", "Say --yes.", REFUSED)
        question = "Do this on the devices?" if body["kind"] in NOT_VALUES else "Write this to the devices?"
        what = f" It disturbs: {', '.join(made['disturbs'])}." if made["disturbs"] else ""
        typer.confirm(f"{question}{what}", abort=True, err=True)
    run = follow(begin({"kind": body["kind"], "plan": made["id"], "reason": reason}))
    outcome = _outcome(run)
    if context.json:
        give(outcome)
    else:
        if not outcome["devices"]:
            note("Nothing to write.")
        for one in outcome["devices"]:
            note(f"{one['name']}: {one['result']}. {one['message']}".rstrip())
            if one["try"]:
                note(f"  Try: {one['try']}")
    _end(outcome)


def apply(
    devices: Devices = None,
    yes: Yes = False,
    keep: Annotated[bool, typer.Option(help="store, so that a power cut does not take the values")] = True,
    reason: Annotated[str, typer.Option(help="why values are kept that the plan names as unsafe")] = "",
    lock_panels: Annotated[bool, typer.Option("--lock-panels", help="lock their panels while it is written")] = False,
) -> None:
    """Write what is pending, read it back, store it."""
    carry_out({"kind": "apply", "devices": devices or [], "keep": keep, "lock": lock_panels}, yes, reason)


def restore(
    device: str,
    backup: Annotated[str, typer.Option(help="id of the backup; the baseline when none is named")] = "",
    lost_in: Annotated[str, typer.Option(help="a run of firmware: only what that set back")] = "",
    yes: Yes = False,
) -> None:
    """Write a backup back and verify it."""
    if backup and lost_in:
        fail("words", "Either a backup or what a run set back.", "Name one of the two.", WORDS)
    which = {"run": lost_in} if lost_in else {"backup": backup}
    carry_out({"kind": "restore", "devices": [device], **which}, yes)


def undo(
    run: str,
    yes: Yes = False,
    over_later: Annotated[
        bool, typer.Option("--over-later", help="take back also what somebody changed since")
    ] = False,
) -> None:
    """Take back what a run wrote."""
    carry_out({"kind": "undo", "run": run, "over_later": over_later}, yes)


def perform(
    procedure: Annotated[
        str, typer.Argument(help="restart, factory-reset, initialise, identify, power-cycle, or 'calm POINT'")
    ],
    devices: Annotated[list[str], typer.Argument()],
    yes: Yes = False,
) -> None:
    """Let devices do something as a whole; says what a person does meanwhile, and waits for it."""
    carry_out({"kind": "procedure", "procedure": procedure, "devices": devices}, yes)


def answer(
    run: str,
    word: Annotated[str, typer.Argument(help="yes or no: whether it was done, or is seen")],
    step: Annotated[int, typer.Option(help="which step; the one that waits when none is named")] = -1,
    note_: Annotated[str, typer.Option("--note", help="what was seen, in your own words")] = "",
) -> None:
    """Answer a run that waits for somebody at a device."""
    if word.lower() not in ("yes", "no", "y", "n"):
        fail("words", f"{word!r} is no answer.", "Say yes or no.", WORDS)
    if step < 0:
        waiting = [one for one in call("GET", f"/api/runs/{quoted(run)}?steps=false")["waiting"] if one["asks"]]
        if not waiting:
            fail("nobody-waits", "That run waits for nobody.", "`netloom journal` shows what came of it.", REFUSED)
        step = waiting[0]["ordinal"]
    body = {"step": step, "came": word.lower().startswith("y"), "note": note_}
    call("POST", f"/api/runs/{quoted(run)}/answer", body)
    give({"run": run, "step": step, "answered": True}) if context.json else note("Answered.")


def drive(
    device: str,
    point: str,
    state: str,
    seconds: Annotated[float | None, typer.Option("--for", help="a pulse: so many seconds, 0.05 to 60")] = None,
    over: Annotated[bool, typer.Option("--over", help="take it from whoever holds it; a lead may")] = False,
    yes: Annotated[bool, typer.Option("--yes", help="do not ask before what moves or powers something")] = False,
) -> None:
    """Drive a point now; with --for it goes back by itself. What moves or powers something asks before."""
    body: dict[str, Any] = {"point": point, "state": state, **({"over": True} if over else {})}
    body |= {"seconds": seconds} if seconds is not None else {}
    if not yes:
        points: list[dict[str, Any]] = call("GET", f"/api/devices/{quoted(device)}")["points"]
        what: dict[str, Any] = next((one for one in points if point in (one["id"], one["short"])), {"disturbs": []})
        if moves := [one for one in what["disturbs"] if one in ASK_FIRST]:
            told = f"{what['label']} moves {' and '.join(moves)}."
            if not sys.stdin.isatty():
                fail("refused", f"Nothing was driven: {told}", "Say --yes.", REFUSED)
            typer.confirm(f"{told} Drive it to {state}?", abort=True, err=True)
    done = call("POST", f"/api/devices/{quoted(device)}/drive", body)
    now = done["state"] or "driven, and nothing tells its state"
    back = f" for {seconds:g} s" if seconds is not None else ""
    give({"device": device, **done}) if context.json else note(f"{point} is {now}{back}.")


def credentials(
    device: Annotated[str, typer.Argument(help="a device; nothing with --model or --all")] = "",
    user: Annotated[str, typer.Option()] = "",
    password: Annotated[str, typer.Option(prompt=True, hide_input=True, help="asked for when not given")] = "",
    level: Annotated[str, typer.Option(help="which of several codes, like master")] = "",
    model: Annotated[str, typer.Option(help="for all of this profile that have none of their own")] = "",
    everywhere: Annotated[bool, typer.Option("--all", help="for the whole installation")] = False,
) -> None:
    """Save how Netloom gets into a device, all of a model, or the whole installation."""
    if sum((bool(device), bool(model), everywhere)) != 1:
        fail("words", "For whom?", "Name one device, or say --model PROFILE, or --all.", WORDS)
    body = {"level": level, "user": user, "password": password}
    if device:
        call("PUT", f"/api/devices/{quoted(device)}/credentials", body)
    else:
        call("PUT", "/api/logins", {**body, "profile": model})
    told = {"device": device} if device else {"model": model, "all": everywhere}
    give({**told, "saved": True}) if context.json else note("Saved, encrypted.")


def forget_certificate(device: str) -> None:
    """Let the certificate that a device is known by be forgotten: the next one that it shows is taken."""
    call("DELETE", f"/api/devices/{quoted(device)}/certificate")
    give({"device": device, "forgotten": True}) if context.json else note("Forgotten; the next one is taken.")


def read(devices: Devices = None) -> None:
    """Read running and startup values now."""
    run = follow(begin({"kind": "read", "devices": devices or []}))
    outcome = _outcome(run)
    if context.json:
        give(outcome)
    _end(outcome)
