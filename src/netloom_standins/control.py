"""The control API of the stand-ins: lists units, makes them misbehave.

On 127.0.0.1 with a token that only the owner of the data folder can read.
    GET  /units                    all units with their troubles
    POST /units/<id>/fault         {"kind": ..., ...}; kinds are in FAULTS
    GET  /ports                    the serial ports
    POST /ports/<name>             {"kind": "unplug"}, {"kind": "rename", "to": ...} or {"kind": "crackle", "on": ...}
    GET  /sources                  what gives pictures and is no unit
    POST /sources/<name>           {"on": true, "format": ..., "protected": ...}, each as it is wanted
"""

from __future__ import annotations

import asyncio
import hmac
import re
import urllib.parse
from collections import Counter
from collections.abc import Awaitable, Callable
from typing import Any

from netloom_core.errors import NetloomError
from netloom_standins.asgi import Receive, Send, read_json, reply
from netloom_standins.described.memory import Wrong
from netloom_standins.described.unit import DescribedUnit
from netloom_standins.picture import Picture
from netloom_standins.pty_port import PtyPort
from netloom_standins.units import Unit

DEFAULT_SECONDS = 10.0
MAX_SECONDS = 3600.0


def _seconds(body: dict[str, Any]) -> float:
    value = body.get("seconds", DEFAULT_SECONDS)
    return min(float(value), MAX_SECONDS) if isinstance(value, int | float) and value > 0 else DEFAULT_SECONDS


async def power_cut(unit: Unit, body: dict[str, Any]) -> None:
    await unit.power_cut()


async def silence(unit: Unit, body: dict[str, Any]) -> None:
    await unit.silence(True)


async def by_hand(unit: Unit, body: dict[str, Any]) -> None:
    """Somebody stands before it and does what its procedure says."""
    if body.get("do") != "factory-reset":
        raise NetloomError(f"Nobody does {body.get('do')!r} by hand here: factory-reset.")
    await unit.factory_reset()


async def slow_boot(unit: Unit, body: dict[str, Any]) -> None:
    unit.faults.boot_seconds = _seconds(body)


async def pull_cable(unit: Unit, body: dict[str, Any]) -> None:
    unit.faults.pull_on_write = _seconds(body)


async def refuse(unit: Unit, body: dict[str, Any]) -> None:
    unit.faults.refuse_writes = True


async def lie(unit: Unit, body: dict[str, Any]) -> None:
    unit.faults.liar = str(body.get("path", ""))


async def mumble(unit: Unit, body: dict[str, Any]) -> None:
    unit.faults.mumbles = str(body.get("path", ""))


async def load(unit: Unit, body: dict[str, Any]) -> None:
    """What goes wrong with its next firmware file."""
    what, share = body.get("what"), body.get("share", 0.5)
    if what == "cut":
        if not isinstance(share, int | float) or not 0 < share <= 1:
            raise NetloomError("Cut after which share of it? More than 0, at most 1.")
        unit.faults.cut_load = float(share)
    elif what == "spoil":
        unit.faults.spoil_load = True
    elif what == "half":
        unit.faults.half_load = True
    elif what == "hide":
        unit.faults.hide_version = True
    else:
        raise NetloomError("cut, spoil, half or hide.")


async def tamper(unit: Unit, body: dict[str, Any]) -> None:
    unit.faults.tamper = True


async def lease(unit: Unit, body: dict[str, Any]) -> None:
    """From its next start on it comes up where a server puts it."""
    unit.faults.leased = str(body.get("address", ""))


async def certificate(unit: Unit, body: dict[str, Any]) -> None:
    """It makes its certificate anew, as after a reset."""
    unit.faults.certificate += 1
    if isinstance(unit, DescribedUnit):
        unit.new_certificate()


async def clock(unit: Unit, body: dict[str, Any]) -> None:
    """Its own clock is wrong by so many seconds."""
    ahead = body.get("ahead", 0)
    if not isinstance(ahead, int | float) or abs(ahead) > 1e9:
        raise NetloomError("Ahead by how many seconds?")
    unit.faults.clock_ahead = float(ahead)


async def change(unit: Unit, body: dict[str, Any]) -> None:
    """Somebody changes a value at the device itself; with `stored` it is kept, too."""
    unit.change(str(body.get("path", "")), body.get("value"), bool(body.get("stored")))


async def point(unit: Unit, body: dict[str, Any]) -> None:
    """Something happens at a terminal: an input closes, say."""
    unit.set_point(str(body.get("point", "")), str(body.get("state", "")))


_FLUTTERS: set[asyncio.Task[None]] = set()


async def flutter(unit: Unit, body: dict[str, Any]) -> None:
    """A point changes again and again by itself, between two states, for a while."""
    name, states = str(body.get("point", "")), [str(one) for one in body.get("states", [])][:2]
    every = body.get("every", 1.0)
    if len(states) != 2 or not isinstance(every, int | float) or not 0.02 <= every <= 60:
        raise NetloomError("A flutter needs two states, and 0.02 to 60 s between them.")
    unit.set_point(name, states[1])

    async def on_and_on() -> None:
        loop = asyncio.get_running_loop()
        begun, number = loop.time(), 0
        while (number + 1) * every <= _seconds(body):
            number += 1
            await asyncio.sleep(max(begun + number * every - loop.time(), 0))
            unit.set_point(name, states[1 - number % 2])

    task = asyncio.ensure_future(on_and_on())
    _FLUTTERS.add(task)
    task.add_done_callback(_FLUTTERS.discard)


async def plug(unit: Unit, body: dict[str, Any]) -> None:
    """A fixture's DMX cable goes to another port, of this node or another one."""
    if not isinstance(unit, DescribedUnit):
        raise NetloomError(f"{unit.name} hangs on no DMX line.")
    port = body.get("port")
    await unit.plug(str(body.get("into", "")), port if isinstance(port, int) and port > 0 else 1)


async def clear(unit: Unit, body: dict[str, Any]) -> None:
    unit.faults = type(unit.faults)(boot_seconds=unit.usual_boot)


FAULTS: dict[str, Callable[[Unit, dict[str, Any]], Awaitable[None]]] = {
    "power-cut": power_cut,
    "silence": silence,
    "by-hand": by_hand,
    "slow-boot": slow_boot,
    "pull-cable": pull_cable,
    "refuse": refuse,
    "lie": lie,
    "mumble": mumble,
    "load": load,
    "tamper": tamper,
    "lease": lease,
    "certificate": certificate,
    "change": change,
    "point": point,
    "clock": clock,
    "flutter": flutter,
    "plug": plug,
    "clear": clear,
}


def described(unit: Unit, ident: str) -> dict[str, Any]:
    return {
        "id": ident,
        "name": unit.name,
        "serial": unit.serial,
        "model": unit.profile.model,
        "label": unit.label,
        "where": unit.where(),
        "faults": {
            name: value
            for name, value in vars(unit.faults).items()
            if value and not (name == "boot_seconds" and value == unit.usual_boot)
        },
    }


class Control:
    def __init__(
        self,
        units: list[Unit],
        token: str,
        ports: dict[str, PtyPort] | None = None,
        picture: Picture | None = None,
    ) -> None:
        serials = Counter(unit.serial for unit in units)
        # Some bear no serial number, or that of another one.
        self._units = {u.serial if u.serial and serials[u.serial] == 1 else u.name: u for u in units}
        self._ports = ports or {}
        self._picture = picture
        self._token = token

    async def __call__(self, scope: dict[str, Any], receive: Receive, send: Send) -> None:
        given = dict(scope["headers"]).get(b"authorization", b"").decode("latin-1")
        if not hmac.compare_digest(given, f"Bearer {self._token}"):
            await reply(send, 401, {"problem": "token"})
            return
        if (scope["method"], scope["path"]) == ("GET", "/units"):
            await reply(
                send,
                200,
                {"units": [described(unit, ident) for ident, unit in self._units.items()], "kinds": list(FAULTS)},
            )
            return
        if scope["path"].startswith("/ports"):
            await self._port(scope, await read_json(receive), send)
            return
        if scope["path"].startswith("/sources"):
            await self._source(scope, await read_json(receive), send)
            return
        parts = scope["path"].strip("/").split("/")
        unit = self._units.get(parts[1]) if len(parts) == 3 else None
        body = await read_json(receive)
        fault = FAULTS.get(str(body.get("kind")))
        if unit is None or fault is None or scope["method"] != "POST":
            await reply(send, 404, {"problem": "no such unit or kind of fault"})
            return
        try:
            await fault(unit, body)
        except NetloomError as error:
            await reply(send, 422, {"problem": error.message})
            return
        except Wrong as error:
            await reply(send, 422, {"problem": f"{unit.label} does not take that: {error}"})
            return
        except NotImplementedError:
            await reply(send, 422, {"problem": f"{unit.label} has nothing of the kind."})
            return
        await reply(send, 200, described(unit, parts[1]))

    async def _port(self, scope: dict[str, Any], body: dict[str, Any], send: Send) -> None:
        """The adapter of a serial line is pulled out, comes back as another port, or its line lacks its resistors."""
        name = scope["path"].removeprefix("/ports").strip("/")
        port, to = self._ports.get(name), str(body.get("to", ""))
        if (scope["method"], name) == ("GET", ""):
            await reply(send, 200, {"ports": {name: str(port.link) for name, port in self._ports.items()}})
        elif port is not None and body.get("kind") == "unplug":
            port.unplug()
            await reply(send, 200, {"port": name})
        elif port is not None and body.get("kind") == "rename" and re.fullmatch(r"[a-z0-9-]{1,40}", to):
            port.rename(to)
            await reply(send, 200, {"port": to})
        elif port is not None and body.get("kind") == "crackle":
            port.crackles = body.get("on") is True
            await reply(send, 200, {"port": name})
        else:
            await reply(send, 404, {"problem": "no such port or kind of fault"})

    async def _source(self, scope: dict[str, Any], body: dict[str, Any], send: Send) -> None:
        name = urllib.parse.unquote(scope["path"].removeprefix("/sources").strip("/"))
        if self._picture is None or (name and name not in self._picture.sources):
            await reply(send, 404, {"problem": "no such source"})
            return
        if scope["method"] == "POST" and name:
            try:
                self._picture.turn(name, body)
            except ValueError as error:
                await reply(send, 422, {"problem": str(error)})
                return
        await reply(send, 200, {"sources": self._picture.told()})
