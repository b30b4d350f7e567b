"""An SNMP agent of any rows on a given socket, which may be late; of a switch they are those of a real bridge."""

from __future__ import annotations

import asyncio
import socket
from collections.abc import Callable
from typing import Any

from netloom_core.protocols import snmp
from netloom_standins.services.snmp import V2C, answer_from

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
