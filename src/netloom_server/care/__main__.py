"""`netloom doctor`, `netloom copies`, `netloom put-back COPY`: care of a data folder on the computer itself."""

from __future__ import annotations

import argparse
import json
import os
import shutil
import sqlite3
import sys
from pathlib import Path
from typing import Any

from netloom_core.links import arp, interfaces, ports
from netloom_server.base.lock import DataInUse, FolderLock
from netloom_server.care import copies, folder

DONE, WORDS, DIFFERS, FAILED, REFUSED = 0, 2, 3, 4, 5


def main() -> int:
    parser = argparse.ArgumentParser(prog="netloom")
    parser.add_argument("--data", type=Path, default=Path(os.environ.get("NETLOOM_DATA") or _usual()))
    parser.add_argument("--json", action="store_true")
    does = parser.add_subparsers(dest="what", required=True)
    for name, told in (("doctor", "look at everything"), ("copies", "safe copies of the database"), ("put-back", "")):
        one = does.add_parser(name, help=told)
        one.add_argument("--data", type=Path, default=argparse.SUPPRESS)
        one.add_argument("--json", action="store_true", default=argparse.SUPPRESS)
        if name == "put-back":
            one.add_argument("copy", help="a name out of `netloom copies`")
        if name == "copies":
            one.add_argument("--make", action="store_true", help="make one now")
    words = parser.parse_args()
    data: Path = words.data.resolve()
    if not data.is_dir():
        return _fail(words, "not-found", f"There is no data folder {data}.", "Name it with --data.", WORDS)
    return {"doctor": doctor, "copies": list_copies, "put-back": put_back}[words.what](words, data)


def _usual() -> Path:
    return Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share") / "netloom"


def list_copies(words: argparse.Namespace, data: Path) -> int:
    if words.make:
        try:
            copies.make(data, "by-hand")
        except (OSError, sqlite3.Error) as error:
            return _fail(words, "store", f"No copy could be made: {error}.", "Look at the disk.", FAILED)
    found = copies.listed(data)
    if words.json:
        told = [{"name": c.name, "taken": c.taken.isoformat(), "why": c.why, "bytes": c.size} for c in found]
        print(json.dumps({"copies": told}, indent=2))
    else:
        for copy in found:
            print(f"{copy.name}   {copy.taken:%Y-%m-%d %H:%M} UTC   {copy.why}   {copy.size / 1e6:.1f} MB")
        if not found:
            print("There is no copy yet; the server makes one each day and before each migration.", file=sys.stderr)
    return DONE


def put_back(words: argparse.Namespace, data: Path) -> int:
    lock = FolderLock(data)
    try:
        lock.take()
    except DataInUse as error:
        return _fail(words, "busy", f"A server (process {error}) has {data}.", "Stop it first.", REFUSED)
    try:
        kept = copies.put_back(data, words.copy)
    except (copies.NoCopy, OSError) as error:
        return _fail(words, "not-found", str(error), "Nothing was changed.", WORDS)
    finally:
        lock.release()
    told = f"{words.copy} is the database now. What was there is kept as {kept.name if kept else 'nothing'}."
    if words.json:
        print(json.dumps({"database": words.copy, "kept": kept.name if kept else ""}))
    print(told, file=sys.stderr)
    return DONE


def doctor(words: argparse.Namespace, data: Path) -> int:
    """Looks at the folder, the database, serial rights, interfaces and ports; changes nothing."""
    found = [*_folder(data), *_serial(data), *_network()]
    bad = [one for one in found if one["state"] != "good"]
    if words.json:
        print(json.dumps({"looked": found}, indent=2))
    else:
        for one in found:
            print(f"{one['state']:<8} {one['what']}: {one['message']}")
            if one["try"]:
                print(f"         Try: {one['try']}")
    return DIFFERS if bad else DONE


def _told(what: str, state: str, message: str, hint: str = "") -> dict[str, Any]:
    return {"what": what, "state": state, "message": message, "try": hint}


def _folder(data: Path) -> list[dict[str, Any]]:
    told = []
    looks = {
        "writing": folder.can_be_written(data),
        "database": folder.is_whole(folder.database_of(data)),
    }
    good = {"writing": f"{data} can be written", "database": "as SQLite wants it"}
    for what, troubles in looks.items():
        told += [_told(what, "bad" if t.fatal else "look", t.message, t.hint) for t in troubles]
        if not troubles:
            told.append(_told(what, "good", good[what]))
    loose = [path.name for path in (data, *data.glob("*.sqlite3*"), data / "keys") if path.exists()
             and path.stat().st_mode & 0o077]  # fmt: skip
    told.append(
        _told("rights", "look", f"others may look at {', '.join(loose)}", "Start the server; it closes them.")
        if loose
        else _told("rights", "good", "nobody else may look into it")
    )
    kept = copies.listed(data)
    told.append(
        _told("copies", "good", f"{len(kept)}, the newest of {kept[0].taken:%Y-%m-%d %H:%M} UTC")
        if kept
        else _told("copies", "look", "there is no safe copy", "`netloom copies --make` makes one.")
    )
    keys = data / "keys" / "secrets.key"
    if folder.database_of(data).exists() and not keys.exists():
        told.append(_told("key", "bad", f"{keys} is not there: saved credentials cannot be read", "Put it back."))
    told.append(_told("disk", "good", f"{shutil.disk_usage(data).free // 1_000_000} MB free"))
    return told


def _serial(data: Path) -> list[dict[str, Any]]:
    told = []
    for port in ports.all_ports(data / "ports"):
        if os.access(port.path, os.R_OK | os.W_OK):
            told.append(_told("serial port", "good", f"{port.path} can be used"))
        else:
            hint = "Add the user that runs the server to the group of the device file (often dialout)."
            told.append(_told("serial port", "bad", f"{port.path} may not be used by this user", hint))
    return told or [_told("serial port", "good", "there is none")]


def _network() -> list[dict[str, Any]]:
    may = "may ask by ARP: two devices with one address are seen" if arp.allowed() else "may not ask by ARP"
    hint = "" if arp.allowed() else "Sweeps do without; CAP_NET_RAW makes them surer (docs/serving.md)."
    return [*_interfaces(), _told("sweeps", "good", f"this user {may}", hint)]


def _interfaces() -> list[dict[str, Any]]:
    told = []
    for one in interfaces.all_interfaces():
        state, hint = ("good", "") if one.link else ("look", "Look at the cable.")
        told.append(_told("interface", state, f"{one.name} has {one.address}{'' if one.link else ', no link'}", hint))
    return told or [_told("interface", "look", "there is none with an address", "Give the network card an address.")]


def _fail(words: argparse.Namespace, code: str, message: str, hint: str, status: int) -> int:
    if words.json:
        print(json.dumps({"error": {"code": code, "message": message, "try": hint}}))
    print(f"{message}\n  Try: {hint}", file=sys.stderr)
    return status


if __name__ == "__main__":
    sys.exit(main())
