"""An SNMP agent of any rows on a given socket, which may be late; of a switch they are those of a real bridge."""

from __future__ import annotations

import asyncio
import json
import socket
import subprocess
import time
from collections.abc import Callable
from typing import Any

from netloom_core.protocols import snmp
from netloom_standins.services.snmp import V2C, answer_from
from tests.peers.conftest import peer_environment, program

Rows = list[tuple[snmp.Oid, Any]]


def value_of(kind: str, value: Any) -> Any:
    if kind == "text":
        return V2C.OctetString(str(value))
    if kind == "bytes":
        return V2C.OctetString(bytes.fromhex(str(value).replace(":", "")))
    if kind == "oid":
        return V2C.ObjectIdentifier(tuple(map(int, str(value).split("."))))
    return V2C.Integer(int(value))


class Agent:
    """`rows` are [object id as text, kind, value]; `more` are those that change."""

    def __init__(
        self, sock: socket.socket, late: float, name: str, rows: list[Any], more: Callable[[], Rows] = list
    ) -> None:
        self._sock, self._late, self._more = sock, late, more
        self._rows: dict[snmp.Oid, Any] = {
            snmp.SYS_DESCR: V2C.OctetString(f"{name} of the laboratory"),
            snmp.SYS_NAME: V2C.OctetString(name),
        }
        for oid, kind, value in rows:
            self._rows[tuple(map(int, oid.split(".")))] = value_of(kind, value)
        asyncio.get_running_loop().add_reader(sock, self._take)

    def _take(self) -> None:
        data, sender = self._sock.recvfrom(65_507)
        rows = sorted([*self._rows.items(), *self._more()], key=lambda row: row[0])
        if answer := answer_from(rows, data, "public"):
            asyncio.get_running_loop().call_later(self._late, self._sock.sendto, answer, sender)


def bridge_rows(space: str, bridge: str) -> Callable[[], Rows]:
    """What a real bridge has in its forwarding table now, as BRIDGE-MIB and IF-MIB have it."""
    kept: list[tuple[float, Rows]] = []

    def rows() -> Rows:
        if not kept or time.monotonic() - kept[-1][0] > 0.3:
            kept[:] = [(time.monotonic(), _rows_of(space, bridge))]
        return kept[0][1]

    return rows


def _asked(*words: str) -> Any:
    done = subprocess.run(words, capture_output=True, text=True, env=peer_environment(), check=True, timeout=60)
    return json.loads(done.stdout or "[]")


def _rows_of(space: str, bridge: str) -> Rows:
    links = {one["ifname"]: one for one in _asked(program("ip"), "-n", space, "-j", "link", "show", "master", bridge)}
    rows: Rows = []
    for name, link in links.items():
        index = link["ifindex"]
        rows.append(((*snmp.BRIDGE_PORT_IF, index), V2C.Integer(index)))
        rows.append(((*snmp.IF_NAME, index), V2C.OctetString(name.removeprefix("p"))))
        rows.append(((*snmp.IF_STATE, index), V2C.Integer(1 if link["operstate"] == "UP" else 2)))
    for entry in _asked(program("bridge"), "-n", space, "-j", "fdb", "show", "br", bridge):
        if entry.get("ifname") in links and "permanent" not in str(entry.get("state", "")):
            mac = bytes.fromhex(entry["mac"].replace(":", ""))
            rows.append(((*snmp.BRIDGE_FDB_PORT, *mac), V2C.Integer(links[entry["ifname"]]["ifindex"])))
    return rows
