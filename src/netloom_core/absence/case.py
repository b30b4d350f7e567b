"""What is known of a device that was not seen, for the tests that ask why."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from netloom_core.library.load import Library
from netloom_core.links.ports import PortInfo
from netloom_core.model.line import Line
from netloom_core.model.sighting import Sighting
from netloom_core.profiles.profile import Profile
from netloom_core.sweep.finding import Finding, Known
from netloom_core.sweep.sweep import Report
from netloom_core.sweep.worth import TOLD_BY_OTHERS

# Methods by which a device is seen though its own service may be silent.
NOT_ITSELF = TOLD_BY_OTHERS | {"neighbour", "ipv6", "ssdp", "ws-discovery", "sacn"}


@dataclass(frozen=True)
class Looked:
    """What a light or sound of a device did when a person looked: as printed, in the words of profiles."""

    printed: str
    pattern: str
    colour: str
    by: str
    minutes: int


@dataclass(frozen=True)
class History:
    """What the records tell. Texts are for people, empty where there is nothing.

    `seen` says when and how it was last seen, `writes` what was written to it since, newest
    first; `staged` what it takes only at a restart that was not made since. `switch` and
    `switch_port` are where a switch last saw its MAC address (`switch_interface` is the port's number
    for SNMP), `community` how to ask that. `ports` are those on which it was known, `looked` what somebody saw at it
    since it was last heard.
    """

    seen: str = ""
    writes: tuple[str, ...] = ()
    staged: str = ""
    switch: str = ""
    switch_name: str = ""
    switch_port: str = ""
    switch_interface: int = 0
    community: str = "public"
    ports: tuple[int, ...] = ()
    looked: tuple[Looked, ...] = ()


@dataclass
class Case:
    """One device, or one typed address, that did not answer.

    `findings` and `troubles` are those of the sweep, `lines` all lines of the installation,
    `others` the names of devices on record by id. `heard` says whether anything at all came
    from the line. `met` are methods by which it was met before, `reports` what those along its line did in the sweep,
    None where no sweep stands behind it.
    """

    record: Known
    name: str
    line: Line
    findings: Sequence[Finding]
    troubles: Sequence[dict[str, str]]
    library: Library
    lines: Sequence[Line] = ()
    others: dict[str, str] = field(default_factory=dict)
    history: History = History()
    ports: Sequence[PortInfo] = ()
    parent_name: str = ""
    parent_profile: str = ""
    met: tuple[str, ...] = ()
    reports: Sequence[Report] | None = None

    @property
    def profile(self) -> Profile | None:
        return self.library.get(self.record.profile)

    @property
    def here(self) -> list[Finding]:
        """Findings at its place, of whom it is not."""
        return [
            f
            for f in self.findings
            if any((p.line, p.address) == (self.record.line, self.record.address) for p in f.places)
            and (not f.device or f.device != self.record.device)
        ]

    @property
    def answers(self) -> bool:
        """Whether it said now, where it should be, who it is: then there is nothing to explain.

        What is remembered of an earlier sweep has no sightings of now; and one whose service is silent may
        still answer ARP, or be announced.
        """
        spoken = {channel.protocol for channel in self.profile.channels.values()} if self.profile else set()
        return any(
            any(_says_who(sighting, spoken) for sighting in f.sightings)
            and f.device and f.device == self.record.device and f.status in ("known", "moved")
            and any((p.line, p.address) == (self.record.line, self.record.address) for p in f.places)
            for f in self.findings
        )  # fmt: skip

    @property
    def heard(self) -> bool:
        return any(p.line == self.line.id for f in self.findings for p in f.places)

    def line_name(self, ident: str) -> str:
        return next((line.name for line in self.lines if line.id == ident), ident)


def _says_who(sighting: Sighting, spoken: set[str]) -> bool:
    """A MAC address tells who it is only by the protocol that the device is read by, if it has no more to tell."""
    if sighting.method in NOT_ITSELF:
        return False
    facts = sighting.facts
    return bool(facts.get("serial") or facts.get("uuid") or facts.get("rdm_uid")) or (
        sighting.method in spoken and bool(facts.get("mac"))
    )


def who(finding: Finding, others: dict[str, str]) -> str:
    """A finding in words: the device on record, or what it says of itself."""
    if finding.device in others:
        return others[finding.device]
    ident = finding.identity
    name = " ".join(part for part in (ident.maker, ident.model) if part) or "an unknown device"
    return f"{name}, serial number {ident.serial}" if ident.serial else name
