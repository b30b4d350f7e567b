"""Run inside the desk's namespace: reads one JSON line for each work, sweeps or asks why, prints one JSON line."""

from __future__ import annotations

import asyncio
import json
import sys
from typing import Any

from netloom_core.absence.case import Case
from netloom_core.absence.explain import explain
from netloom_core.bus.owner import Owners
from netloom_core.clock import SystemClock
from netloom_core.library.load import Library
from netloom_core.links import arp
from netloom_core.model.access import Access
from netloom_core.model.line import Line
from netloom_core.model.snmp import SnmpUser
from netloom_core.sweep.finding import Known
from netloom_core.sweep.methods.registry import METHODS
from netloom_core.sweep.sweep import sweep
from tests.conftest import ROOT


class Desk:
    def __init__(self, network: str, source: str) -> None:
        self.library = Library.read(ROOT / "profiles")
        self.line = Line("net", "Net", "ip", network=network, source=source, interface="eth0")

    async def work(self, asked: dict[str, Any]) -> Any:
        return await getattr(self, asked.pop("work"))(**asked)

    async def sweep(
        self,
        known: list[dict[str, Any]] | None = None,
        methods: list[str] | None = None,
        without: list[str] | None = None,
        users: list[dict[str, str]] | None = None,
        plain: bool = False,
    ) -> Any:
        """`plain` is how it is for a user without the right to send ARP."""
        loop = asyncio.get_running_loop()
        begun, first = loop.time(), {}
        chosen = [m for m in METHODS if (not methods or m.name in methods) and m.name not in (without or ())]
        kind = arp.socket.AF_PACKET
        if plain:
            arp.socket.AF_PACKET = 9999  # type: ignore[misc]
        try:
            result = await sweep(
                [self.line],
                [known_of(one) for one in known or ()],
                self.library,
                Owners(),
                SystemClock(),
                methods=chosen,
                access={"net": Access(snmp_users=tuple(SnmpUser(**user) for user in users or ()))},
                saw=lambda s: first.setdefault(s.address, round(loop.time() - begun, 2)),
            )
        finally:
            arp.socket.AF_PACKET = kind  # type: ignore[misc]
        return {
            "seconds": round(loop.time() - begun, 2),
            "first": first,
            "found": [
                {"address": f.address, "status": f.status, "device": f.device, "methods": f.methods, "facts": f.facts,
                 "serial": f.identity.serial, "keys": f.keys, "places": [p.address for p in f.places]}
                for f in result.findings
            ],
            "methods": {r.method: {"state": r.state, "seconds": r.seconds, "sent": r.sent, "notes": r.notes}
                        for r in result.reports},
            "troubles": result.troubles,
        }  # fmt: skip

    async def why(self, address: str, key: str = "", profile: str = "hallvane-rx8") -> Any:
        case = Case(Known("d", key, profile, "net", address), "Box", self.line, [], [], self.library, [self.line])
        return [[reason.reason, reason.weight] for reason in (await explain(case)).reasons]


def known_of(facts: dict[str, Any]) -> Known:
    return Known(**{"line": "net", "profile": "", "key": "", **facts, "keys": tuple(facts.get("keys", ()))})


def main() -> None:
    desk = Desk(sys.argv[1], sys.argv[2])
    with asyncio.Runner() as runner:
        for line in sys.stdin:
            print(json.dumps(runner.run(desk.work(json.loads(line)))), flush=True)


if __name__ == "__main__":
    main()
