"""Backups, proof, archives, the journal."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer

from netloom_cli.changes import Devices, _outcome
from netloom_cli.client import (
    DIFFERS,
    DONE,
    FAILED,
    WORDS,
    begin,
    call,
    context,
    download,
    every,
    fail,
    follow,
    give,
    note,
    quoted,
    settled,
)
from netloom_cli.output import say, table, value


def register(app: typer.Typer) -> None:
    app.command()(backup)
    app.command()(backups)
    app.command()(verify)
    app.command("export")(export_archive)
    app.command()(report)
    app.command()(schedule)
    app.command("import")(import_archive)
    app.command("check")(check_archive)
    app.command()(journal)
    app.command()(journal_accept)


def backup(
    devices: Devices = None, baseline: Annotated[bool, typer.Option("--baseline", help="approve as baseline")] = False
) -> None:
    """Back up running and startup values."""
    run = follow(begin({"kind": "backup", "devices": devices or [], "baseline": baseline}))
    made = every(f"/api/backups?run={run['id']}", "backups")["backups"]
    failed = [one for one in _outcome(run)["devices"] if one["result"] != "done"]
    if context.json:
        give({"run": run["id"], "backups": made, "failed": failed})
    else:
        note(f"{len(made)} backed up{' as baseline' if baseline else ''}, {len(failed)} not.")
        for one in failed:
            note(f"{one['name']}: {one['message']}\n  Try: {one['try']}")
    raise typer.Exit(FAILED if failed else DONE)


def backups() -> None:
    """All backups, newest first."""
    found = every("/api/backups", "backups")
    if context.json:
        give(found)
        return
    table(
        ("Id", "Device", "Taken", "By", "Baseline", "Label", "Digest"),
        ((b["id"], b["name"], b["taken"][:19], b["by"], "yes" if b["baseline"] else "", b["label"], b["digest"][:12])
         for b in found["backups"]),
    )  # fmt: skip


def verify(devices: Devices = None) -> None:
    """Read all devices and compare with the baseline."""
    run = follow(begin({"kind": "verify", "devices": devices or []}), told=lambda step: None)
    if run["state"] == "failed":
        fail("verify", run["message"] or "The verification did not end.", "Look at the server's log.", FAILED)
    results: list[dict[str, Any]] = run["result"].get("devices", [])
    if context.json:
        give({"run": run["id"], "devices": results})
    else:
        for one in results:
            say(f"{one['name']}: {one['result']}  {one['message']}")
            for d in one["differences"]:
                line = f"    {d['kind']}  {d['path']}: baseline {value(d['baseline'])}, running {value(d['running'])}"
                line += f" ({d['why']})" if d.get("why") else ""
                say(line)
    raise typer.Exit(DONE if all(one["result"] == "match" for one in results) else DIFFERS)


def _paper(kind: str, file: Path) -> None:
    """Have a paper made, wait for it, and write it to a file that is there whole or not at all."""
    if not file.parent.is_dir():
        fail("words", f"There is no folder {file.parent}.", "Make it first.", WORDS)
    paper = call("POST", "/api/papers", {"kind": kind})
    paper = settled(f"/api/papers/{paper['id']}", "making")
    if paper["state"] == "failed":
        fail("paper", paper["message"], paper["try"], WORDS)
    size, digest = download(f"/api/papers/{paper['id']}/file", file)
    if digest != paper["digest"]:
        file.unlink()
        fail("paper", f"{file} did not arrive whole and was taken away again.", "Try again.", FAILED)
    give({"file": str(file), "bytes": size}) if context.json else note(f"Wrote {file}, {size} bytes.")


def export_archive(file: Path) -> None:
    """All backups as one archive."""
    _paper("archive", file)


def report(file: Path) -> None:
    """The settings report, as one page of HTML made for paper."""
    _paper("report", file)


def schedule(file: Path) -> None:
    """The address schedule: a table, a hosts file, reservations for two DHCP servers, as one zip."""
    _paper("schedule", file)


def _upload(file: Path, what: str) -> dict[str, Any]:
    try:
        data = file.read_bytes()
    except OSError as error:
        fail("words", f"{file} cannot be read: {error.strerror}.", "Name an archive that is there.", WORDS)
    result: dict[str, Any] = call("POST", f"/api/backups/{what}/archive.zip", content=data)
    return result


def import_archive(file: Path) -> None:
    """Add an archive's backups to the store."""
    done = _upload(file, "import")
    give(done) if context.json else note(f"{done['added']} of {done['backups']} backups were new and are here now.")


def check_archive(file: Path) -> None:
    """Whether an archive is whole; any flipped bit is found."""
    done = _upload(file, "check")
    give(done) if context.json else note(
        f"The archive is whole: {done['backups']} backups, {done['documents']} documents of {done['installation']}."
    )


def journal(
    device: Annotated[str, typer.Option("--device", help="only this device's")] = "",
    everything: Annotated[bool, typer.Option("--all", help="all entries, not the newest 500 only")] = False,
) -> None:
    """What was written to which device, before, after, by whom, with the read-back."""
    path = f"/api/journal?check=1&device={quoted(device)}"
    found = every(path, "entries") if everything else call("GET", path)
    if context.json:
        give(found)
    else:
        for one in reversed(found["entries"]):
            what = f"{one['action']} {one['kind']} {one['outcome']}"
            say(f"{one['time'][:19]}  {one['name']}  {what}  by {one['by']}")
            if one["kind"] == "act" and one["message"]:
                say(f"    {one['message']}")
            for c in one["changes"]:
                back = f", read back {value(c['read_back'])}" if "read_back" in c else ""
                back = f", not read back: {c['untold']}" if "untold" in c else back
                before = f"{value(c['from'])} → " if "from" in c else "stays "  # what a store only keeps
                say(f"    {c['path']}: {before}{value(c['to'])}{back}")
    chain = found["chain"]
    if not found["whole"]:
        note(f"The chain is broken: from entry {chain['broken']} on the journal is not what was written.")
        note("Try: look who had the data folder. A lead goes on with it by `netloom journal-accept REASON`.")
        raise typer.Exit(FAILED)
    note(f"Whole up to entry {chain['entries']}, read anew just now.")


def journal_accept(reason: str) -> None:
    """Go on with a journal that is broken: a new chain begins, which tells the old one's head and your reason."""
    call("POST", "/api/journal/accept", {"reason": reason})
    give({"accepted": True}) if context.json else note("A new chain began. What was before is kept as it is.")
