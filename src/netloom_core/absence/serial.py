"""Reasons on a serial line and behind a device: the port, who holds it, what came, who leads."""

from __future__ import annotations

import asyncio
import os

from netloom_core.absence.case import Case
from netloom_core.links.ports import adapter_of, follow, holder_of
from netloom_core.model.sighting import Reason


async def port_itself(case: Case) -> list[Reason]:
    line = case.line
    if line.path.startswith("rfc2217://"):
        return []
    path = follow(line.path, line.adapter, list(case.ports))
    if not await asyncio.to_thread(os.path.exists, path):
        others = ", ".join(f"{p.path} ({p.title or p.usb_serial or 'no name'})" for p in case.ports) or "none"
        return [
            Reason(
                f"There is no adapter: the port {line.path} does not exist, and its adapter is on no other port.",
                f"Plug the adapter in. Ports here now: {others}.",
                "The system's serial ports were listed.",
                100,
            )
        ]
    if line.adapter and adapter_of(path, list(case.ports)) not in ("", line.adapter):
        return [
            Reason(
                f"At {line.path} is another adapter than the line's own.",
                "Plug the line's adapter in, or add this port as the line's.",
                "The adapter's USB serial number and place were compared.",
                98,
            )
        ]
    busy = any(t["line"] == line.id and t["code"] == "port-busy" for t in case.troubles)
    if busy:
        held = await asyncio.to_thread(holder_of, path)
        return [
            Reason(
                f"Another program holds the port {path}: {held or 'one that this user may not see'}.",
                "Close that program, then sweep again.",
                "The port was opened just now, and the open files of the running programs were looked through.",
                99,
            )
        ]
    return []


async def what_came(case: Case) -> list[Reason]:
    """Nothing at all, noise, or others but not this one."""
    line = case.line
    noisy = sorted({f.speed or line.speed for f in case.findings if f.line == line.id and f.facts.get("noise")})
    if noisy:
        return [
            Reason(
                f"Bytes come that make no sense at {' and '.join(map(str, noisy))} baud.",
                "Look whether the wires are crossed or the levels are wrong (RS-232 on RS-485), and at parity.",
                "The sweep asked at every usual speed.",
                88,
            )
        ]
    if any(trouble["line"] == line.id for trouble in case.troubles):
        return []
    speed = case.record.speed or line.speed
    if case.here:
        return []  # somebody is at its address, or two are, which other tests say
    if not case.heard:
        return [
            Reason(
                f"Nobody at all answers on the line {line.name}: asked at {speed} baud and at the other usual speeds.",
                "Look at the power of the devices, at A and B (or transmit and receive) being swapped, at the adapter.",
                f"The sweep asked on {line.path}.",
                86,
            )
        ]
    return [
        Reason(
            f"No unit answers at address {case.record.address}: asked at {speed} baud with the full reply time, and at "
            "every other usual speed. Others on the line answer.",
            "Look at its power, the A and B wires at it, and the termination at both ends of the line.",
            f"The sweep asked address {case.record.address} once more when all others had been asked.",
            60,
        )
    ]


async def parent_leads(case: Case) -> list[Reason]:
    """For a line behind a device: whether the parent is set to lead it, was found, and lists others."""
    for trouble in case.troubles:
        if trouble["line"] == case.line.id and trouble["code"] == "not-leading":
            return [
                Reason(
                    trouble["message"],
                    trouble["try"],
                    "The parent's setting was read just now.",
                    99,
                    _offer(case),
                )
            ]
        if trouble["line"] == case.line.id:
            return [Reason(trouble["message"], trouble["try"], "The parent was asked.", 90)]
    if not case.heard:
        return [
            Reason(
                f"{case.parent_name or 'The parent'} leads its bus and lists nobody on it.",
                "Look at the bus wiring at the parent.",
                "The parent's list was read just now.",
                70,
            )
        ]
    return [
        Reason(
            f"{case.parent_name or 'The parent'} lists others on its bus, but none at address {case.record.address}.",
            "Look at the device's power, its bus wires and its address switch.",
            "The parent's list was read just now.",
            60,
        )
    ]


def _offer(case: Case) -> dict[str, object] | None:
    """Setting the parent to lead, as its profile says it is done."""
    profile = case.library.get(case.parent_profile)
    behind = profile.leads if profile else None
    if behind is None or behind.leads is None:
        return None
    return {"action": "set", "device": case.line.parent, "path": behind.leads.path, "value": behind.leads.one_of[0]}
