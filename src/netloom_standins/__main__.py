"""Runs the stand-ins of a site until it is told to stop.

python -m netloom_standins --site FILE --profiles DIR --data DIR [--network CIDR]
"""

from __future__ import annotations

import argparse
import asyncio
import json
import os
import secrets
import signal
from collections import Counter
from pathlib import Path
from typing import Any

import yaml
from uvicorn.config import Config
from uvicorn.server import ServerState

from netloom_core.library.load import Library
from netloom_standins import desk
from netloom_standins.announce import Announcer
from netloom_standins.control import Control
from netloom_standins.described.description import descriptions
from netloom_standins.described.loading import made
from netloom_standins.described.unit import DescribedUnit
from netloom_standins.feeding import Feeding
from netloom_standins.net_unit import NetUnit
from netloom_standins.picture import Picture
from netloom_standins.site import build_units, load_site
from netloom_standins.units import Unit


class Memory:
    """What the units keep without power, in one file."""

    def __init__(self, path: Path, units: list[Unit]) -> None:
        self._path = path
        borne = Counter(unit.serial for unit in units)
        # Some bear no serial number, and twins the same: those are told apart by their place in the site.
        self._units = {
            unit.serial if unit.serial and borne[unit.serial] == 1 else f"{unit.serial}#{number}": unit
            for number, unit in enumerate(units)
        }

    def load(self) -> None:
        if self._path.exists():
            kept = json.loads(self._path.read_text())
            for name, unit in self._units.items():
                if name in kept:
                    unit.load(kept[name])

    def save(self) -> None:
        part = self._path.with_suffix(".part")
        part.write_text(json.dumps({name: unit.state() for name, unit in self._units.items()}))
        part.replace(self._path)


def write_private(path: Path, content: dict[str, Any]) -> None:
    part = path.with_suffix(".part")
    part.unlink(missing_ok=True)
    with os.fdopen(os.open(part, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "w") as out:
        json.dump(content, out)
    part.replace(path)


def _write_firmware(site: dict[str, Any], folder: Path) -> None:
    """The files of the site, as their makers would have them for download."""
    known = descriptions()
    for file in site.get("firmware", []):
        form = known[file["model"]].firmware
        assert form is not None, f"a {file['model']} takes no firmware"
        folder.mkdir(exist_ok=True)
        data = made(
            form, str(file["version"]), file["size"], revisions=file.get("revisions", ""), code=file.get("code", "")
        )
        (folder / file["name"]).write_bytes(data)


async def run(arguments: argparse.Namespace) -> None:
    folder: Path = arguments.data / "standins"
    site = load_site(arguments.site, arguments.network)
    (folder / "site.yaml").write_text(yaml.safe_dump(site, allow_unicode=True, sort_keys=False))
    units, lines = build_units(site, Library.read(arguments.profiles), folder)
    _write_firmware(site, folder / "firmware")
    memory = Memory(folder / "memory.json", units)
    memory.load()
    announcer = Announcer()
    for unit in units:
        unit.on_change = memory.save
    for line in lines:
        line.start()
    held = {line["port"] for line in site["lines"] if line.get("held")}
    for port in lines:
        if port.link.name in held:
            port.hold()
    boxes = [unit for unit in units if isinstance(unit, NetUnit)]
    for box in boxes:
        if isinstance(box, DescribedUnit):
            box.announce = announcer.announce
        await box.start()
    Feeding(site, units)
    picture = Picture(site, units)
    following = [asyncio.ensure_future(work) for work in (picture.keep(), *map(desk.keep, site.get("desks", [])))]
    token = secrets.token_urlsafe(24)
    config = Config(
        Control(units, token, {port.link.name: port for port in lines}, picture),
        http="h11",
        ws="none",
        lifespan="off",
        interface="asgi3",
        log_config=None,
        access_log=False,
    )
    config.load()
    protocol: Any = config.http_protocol_class
    state = ServerState()
    control = await asyncio.get_running_loop().create_server(
        lambda: protocol(config=config, server_state=state, app_state={}), "127.0.0.1", 0
    )
    port = control.sockets[0].getsockname()[1]
    found = arguments.data / "standins.json"
    write_private(found, {"url": f"http://127.0.0.1:{port}", "token": token, "pid": os.getpid()})
    stop = asyncio.Event()
    for number in (signal.SIGINT, signal.SIGTERM):
        asyncio.get_running_loop().add_signal_handler(number, stop.set)
    print(f"Stand-ins: {len(units)} units are up.", flush=True)
    try:
        await stop.wait()
    finally:
        for task in following:
            task.cancel()
        found.unlink(missing_ok=True)
        memory.save()
        for box in boxes:
            if isinstance(box, DescribedUnit):
                box.announce = None
            await box.stop()
        for line in lines:
            line.stop()
        await announcer.close()


def main() -> None:
    parser = argparse.ArgumentParser(description="Runs the simulated devices of a site.")
    parser.add_argument("--site", type=Path, required=True)
    parser.add_argument("--profiles", type=Path, required=True)
    parser.add_argument("--data", type=Path, required=True)
    parser.add_argument("--network", default="", help="where the site's IP line lies instead, like 127.21.10.0/24")
    arguments = parser.parse_args()
    (arguments.data / "standins").mkdir(parents=True, exist_ok=True)
    asyncio.run(run(arguments))


if __name__ == "__main__":
    main()
