"""Why a device was not seen: reasons from tests that were really made, likeliest first."""

from __future__ import annotations

import asyncio
from collections.abc import Sequence
from dataclasses import dataclass

from netloom_core.errors import LinkError
from netloom_core.links import tcp
from netloom_core.model.line import Line
from netloom_core.model.sighting import Reason
from netloom_core.profiles.load import Library
from netloom_core.sweep.identity import Finding, Known

PROBE_S = 1.5


@dataclass(frozen=True)
class Absent:
    device: str
    line: str
    reasons: tuple[Reason, ...]


def who(finding: Finding) -> str:
    ident = finding.identity
    name = " ".join(part for part in (ident.maker, ident.model) if part) or "an unknown device"
    return f"{name}, serial number {ident.serial}" if ident.serial else name


async def explain(record: Known, line: Line, findings: Sequence[Finding], trouble: str, library: Library) -> Absent:
    """Reasons for one device; `trouble` is what went wrong with its line as a whole, if anything."""
    reasons: list[Reason] = []
    if trouble:
        reasons.append(Reason(f"The line {line.name} could not be used: {trouble}", "Mend the line, sweep again."))
    profile = library.get(record.profile)
    at_place = [f for f in findings if (f.line, f.address) == (record.line, record.address)]
    here = [f for f in at_place if f.identity.key and f.device != record.device]
    reasons += [
        Reason(f"{who(f)} answers at its address {record.address}.", "Give one of the two another address.")
        for f in here
    ]
    if any(f.facts.get("garbled") for f in at_place):
        reasons.append(
            Reason(
                f"At address {record.address} come bytes that make no sense: two units at once, or noise.",
                "Unplug one unit after the other; look at the shield and the termination.",
            )
        )
        return Absent(record.device, record.line, tuple(reasons))
    if profile is not None:
        for finding in findings:
            fresh = finding.address in profile.factory.addresses or finding.facts.get("factory") == "yes"
            if finding.profile == profile.id and not finding.device and fresh:
                reasons.append(
                    Reason(
                        f"A factory-fresh {profile.model}, serial number {finding.identity.serial}, answers at "
                        f"{finding.address}.",
                        "If that is this device, new or reset: take it in as this one and give it its address.",
                    )
                )
    if not trouble and not here:
        reasons.append(await _tested(record, line, library))
    return Absent(record.device, record.line, tuple(reasons))


async def _tested(record: Known, line: Line, library: Library) -> Reason:
    profile = library.get(record.profile)
    if line.kind == "serial":
        speed = record.speed or line.speed
        return Reason(
            f"No unit answers at address {record.address}: asked at {speed} baud with the full reply time, and at "
            "every other usual speed.",
            "Look at its power, the A and B wires, and the termination at both ends of the line.",
        )
    if not record.address or not line.holds(record.address):
        return Reason(
            f"It has no address in {line.network}, and nothing on the line said it was this device.",
            "Plan an address for it under Address.",
        )
    port = profile.reach.http.port if profile and profile.reach.http else 80
    try:
        answer = await tcp.probe_port(line.source, record.address, port, PROBE_S)
    except LinkError as error:
        return Reason(error.message, error.hint)
    if answer == "open":
        return Reason(
            f"{record.address} takes connections on port {port} but does not say who it is.",
            "It may still be starting, or be another device: sweep again in a minute.",
        )
    if answer == "refused":
        return Reason(
            f"{record.address} refuses connections on port {port}.",
            "Nothing there runs the device's service: is it plugged in and powered, and does it have this address?",
        )
    return Reason(
        f"{record.address} gave no answer on port {port} within {PROBE_S:g} s.",
        "Look at its power, its cable and its switch port.",
    )


async def explain_all(
    records: Sequence[Known],
    lines: dict[str, Line],
    findings: Sequence[Finding],
    troubles: dict[str, str],
    library: Library,
) -> list[Absent]:
    seen = {finding.device for finding in findings if finding.device}
    return list(
        await asyncio.gather(
            *(
                explain(record, lines[record.line], findings, troubles.get(record.line, ""), library)
                for record in records
                if record.device not in seen and record.line in lines
            )
        )
    )
