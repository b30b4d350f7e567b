"""Reasons out of what else the sweep saw: somebody in its place, or somebody like it somewhere else."""

from __future__ import annotations

from netloom_core.absence.case import Case, who
from netloom_core.model.sighting import Reason
from netloom_core.sweep.finding import BY_IPV6, Finding


async def someone_has_its_address(case: Case) -> list[Reason]:
    reasons = []
    for finding in case.here:
        if (finding.keys or finding.profile) and not finding.facts.get("garbled"):
            reasons.append(
                Reason(
                    f"Someone else has its address: {who(finding, case.others)} answers at {case.record.address}.",
                    "Give one of the two another address; sweep again.",
                    f"The sweep asked {case.record.address} by {', '.join(finding.methods)}.",
                    95,
                )
            )
    return reasons


async def two_at_once(case: Case) -> list[Reason]:
    garbled = [
        f
        for f in case.findings
        if f.facts.get("garbled") and (f.line, f.address) == (case.record.line, case.record.address)
    ]
    if not garbled:
        return []
    return [
        Reason(
            f"Two units talk at once on address {case.record.address}: bytes come that are no frame.",
            "Unplug one after the other, give one another address. If it stays: look at shield and termination.",
            f"It was asked three times at {garbled[0].speed} baud, and each reply had a wrong check sum.",
            97,
        )
    ]


async def like_it_elsewhere(case: Case) -> list[Reason]:
    """Unclaimed devices of its model: at a factory address, at another one, on another line."""
    profile, reasons = case.profile, []
    # One whose serial number is on record would have been known again wherever it answers.
    if profile is None or case.record.key:
        return []
    for finding in case.findings:
        if finding.profile != profile.id or finding.device or finding in case.here:
            continue
        fresh = finding.address in profile.factory.addresses or finding.facts.get("factory") == "yes"
        where = _where(case, finding)
        if fresh:
            reasons.append(
                Reason(
                    f"A factory-fresh {profile.model}, serial number {finding.identity.serial or 'not told'}, answers "
                    f"at {where}.",
                    "If that is this device, new or reset: take it in as this one and give it its address.",
                    _how(finding),
                    85,
                )
            )
        else:
            reasons.append(
                Reason(
                    f"A {profile.model} that belongs to nobody yet answers at {where}.",
                    "If that is this device: take it in as this one.",
                    _how(finding),
                    70,
                )
            )
    return reasons[:3]


async def still_there_by_ipv6(case: Case) -> list[Reason]:
    """It is on the wire, so its power and its cable are good: what is wrong is its IPv4 address."""
    return [
        Reason(
            f"It is on the wire: it answers over IPv6 as {finding.address}, but not at {case.record.address}.",
            "Its IPv4 address is another one, or it has none: look at its network settings, or at the DHCP server.",
            "All IPv6 nodes of the line were asked by an echo, and it was known by its MAC address.",
            94,
        )
        for finding in case.findings
        if finding.status == BY_IPV6 and case.record.device and finding.device == case.record.device
    ][:1]


async def same_name_elsewhere(case: Case) -> list[Reason]:
    """Somebody unknown who calls himself as this device did."""
    host = case.record.host.casefold()
    return [
        Reason(
            f"Somebody at {_where(case, finding)} calls itself {case.record.host}, but tells nothing that proves it.",
            "If that is this device, join the two records.",
            _how(finding),
            60,
        )
        for finding in case.findings
        if host and not finding.device and finding.facts.get("host", "").casefold() == host
    ][:2]


def _where(case: Case, finding: Finding) -> str:
    speed = f" at {finding.speed} baud" if finding.speed else ""
    line = "" if finding.line == case.line.id else f" on the line {case.line_name(finding.line)}"
    return f"{finding.address}{speed}{line}"


def _how(finding: Finding) -> str:
    return f"Seen by {', '.join(finding.methods)}."
