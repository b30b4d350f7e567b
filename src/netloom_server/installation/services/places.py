"""Places by the rules of their line: who is on it, what would be given to whom, what is wrong, and deciding it."""

from __future__ import annotations

import copy
from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import replace
from typing import Any, TypeVar

from django.db import transaction

from netloom_core.addressing.checks import CODES, Trouble, check_line, check_lines
from netloom_core.addressing.planning import ROLES, LinePlan, Proposal, Resident
from netloom_core.addressing.rules import Kept, Rules, check_rules
from netloom_core.addressing.universes import Fixture, Output, Universes
from netloom_core.documents.tree import MISSING, get
from netloom_core.errors import RequestError
from netloom_core.library.load import Library
from netloom_core.profiles.profile import Profile
from netloom_server.backups.models import Document
from netloom_server.base.problems import Conflict
from netloom_server.installation.models import Device, Line
from netloom_server.installation.services.decisions import planned_address, profile_of, set_intended
from netloom_server.installation.services.records import networks_in_use
from netloom_server.installation.services.universes import fixture_of, outputs_of

Keeping = TypeVar("Keeping", bound=Kept)
AT_ONCE = 250  # devices whose documents are in memory


def rules_of(line: Line) -> Rules:
    return Rules.model_validate(line.rules)


@transaction.atomic
def keep_rules(ident: str, data: Any, seen: Any) -> Line:
    """`seen` are the rules that the person changed; where somebody else has changed them since, Conflict."""
    line = Line.objects.get(id=ident)
    rules = Rules.read(data)
    if Rules.read(seen) != rules_of(line):
        raise Conflict(
            f"Somebody else changed the rules of {line.name} while you did. Nothing of your change was saved.",
            "Look at the new ones, then make your change again.",
        )
    check_rules(line.as_core(), rules)
    line.rules = rules.model_dump(mode="json", exclude_defaults=True)
    line.save(update_fields=["rules"])
    return line


def area_goes(area: str, into: str) -> None:
    """Ranges of an area that was merged into another one are that one's; of one that is gone, nobody's."""
    for line in Line.objects.filter(rules__icontains=f'"area": "{area}"'):
        rules = _without_area(rules_of(line), area, into)
        universes = tuple(_without_area(one, area, into) for one in rules.universes)
        line.rules = rules.model_copy(update={"universes": universes}).model_dump(mode="json", exclude_defaults=True)
        line.save(update_fields=["rules"])


def _without_area(kept: Keeping, area: str, into: str) -> Keeping:
    left = (one for one in kept.ranges if into or one.area != area)
    ranges = tuple(one.model_copy(update={"area": into}) if one.area == area else one for one in left)
    return kept.model_copy(update={"ranges": ranges})


def with_running(devices: Sequence[Device]) -> Iterator[tuple[Device, dict[str, Any]]]:
    """Each with what it had when it was last read; some documents at a time are in memory."""
    for at in range(0, len(devices), AT_ONCE):
        some = devices[at : at + AT_ONCE]
        running = Document.load_many({one.running for one in some if one.running and one.taken_in})
        yield from ((device, running.get(device.running, {})) for device in some)


def place_waits(device: Device, running: Mapping[str, Any], library: Library) -> bool:
    """Whether anything of its place is decided that it did not have when it was last read."""
    profile = library.get(device.profile)
    paths = profile.of_place if profile is not None else ()
    wanted = [(get(device.intended, path), get(dict(running), path)) for path in paths]
    return any(value is not MISSING and value != has for value, has in wanted)


class Site:
    """Lines in use with who is on them, read once: all, or those named."""

    def __init__(self, library: Library, lines: Iterable[str] | None = None) -> None:
        self._library = library
        used = Line.objects.filter(archived=None)
        self.lines = {line.id: line for line in (used if lines is None else used.filter(id__in=set(lines)))}
        self.cores = {ident: line.as_core() for ident, line in self.lines.items()}
        self.residents: dict[str, list[Resident]] = {ident: [] for ident in self.lines}
        self.fixtures: dict[str, list[Fixture]] = {ident: [] for ident in self.lines}
        self.outputs: dict[str, list[Output]] = {ident: [] for ident in self.lines}
        self.line_of: dict[str, str] = {}
        devices = list(Device.objects.filter(line__in=self.lines).select_related("unit", "area"))
        for device, running in with_running(devices):
            ident = str(device.line_id)
            self.residents[ident].append(self._resident(device, running))
            self.line_of[device.id] = ident
            profile = library.get(device.profile)
            if self.cores[ident].kind == "ip" and profile is not None:
                self.fixtures[ident] += fixture_of(device, profile, running)
                self.outputs[ident] += outputs_of(device, profile, running)
        self._own = {ident: list(those) for ident, those in self.residents.items()}
        self._networks = networks_in_use()
        self._who_goes_elsewhere()

    def _who_goes_elsewhere(self) -> None:
        """Whoever is planned for another network is to be on that one, and only leaves the one where it is."""
        coming: list[tuple[str, Resident]] = []
        for ident, those in self.residents.items():
            line = self.cores[ident]
            for at, one in enumerate(those):
                if line.kind != "ip" or not one.planned or line.holds(one.planned):
                    continue
                there = next((other for other in self._networks if other.holds(one.planned)), None)
                if there is not None:
                    those[at] = replace(one, elsewhere=True)
                if there is not None and there.id in self.residents:
                    coming.append((there.id, replace(one, at="", bound=())))
        for ident, one in coming:
            self.residents[ident].append(one)
            self.line_of[one.device] = ident

    def _resident(self, device: Device, running: Mapping[str, Any]) -> Resident:
        profile = self._library.get(device.profile)
        fitted = bool(device.unit and device.seen)
        at = device.address if device.status != "missing" else ""
        planned = planned_address(device, profile) if device.taken_in else ""
        return Resident(
            device=device.id,
            name=device.name,
            kind=profile.kind if profile else "",
            area=str(device.area_id or ""),
            area_name=device.area.name if device.area else "",
            at=at,
            planned=planned if planned != at else "",
            bound=tuple(device.unit.bound) if device.unit else (),
            has=has_by_role(device, profile, running) | _heard_with(device),
            can=frozenset(role for role in ROLES if (item := _item(profile, role)) is not None and not item.reserved),
            fitted=fitted,
            mine=device.taken_in,
        )

    def factory(self, ident: str) -> set[str]:
        """Where new units come up on the line, of all models that can be on it."""
        line = self.cores[ident]
        return {
            address
            for profile in self._library
            if profile.channel_for(line.kind, line.protocol) is not None
            for address in profile.factory.addresses
            if line.holds(address)
        }

    def plan(self, ident: str) -> LinePlan:
        return LinePlan(self.cores[ident], rules_of(self.lines[ident]), self.residents[ident], self.factory(ident))

    def universes(self, ident: str) -> Universes:
        return Universes(self.cores[ident], rules_of(self.lines[ident]), self.fixtures[ident], self.outputs[ident])

    def propose(self, devices: Sequence[str]) -> list[tuple[str, Proposal]]:
        """With the line of each; a device that is on no line in use is left out."""
        by_line: dict[str, list[str]] = defaultdict(list)
        for device in devices:
            if device in self.line_of:
                by_line[self.line_of[device]].append(device)
        return [(ident, one) for ident, those in by_line.items() for one in self.plan(ident).propose(those)]

    def troubles(self) -> list[Trouble]:
        """Worst first, over all lines."""
        lost = {ident: line.trouble for ident, line in self.lines.items() if line.kind == "ip" and line.trouble}
        found = check_lines(list(self.cores.values()), lost)
        for ident, line in self.cores.items():
            found += check_line(line, rules_of(self.lines[ident]), self.residents[ident], self.factory(ident))
            found += self.universes(ident).troubles()
        return sorted(found, key=lambda one: (CODES.index(one.code), one.name))

    def with_places(self, places: Mapping[str, str]) -> Site:
        """As it would be with these addresses decided, by device."""
        other = copy.copy(self)
        other.line_of = {one.device: ident for ident, those in self._own.items() for one in those}
        other.residents = {
            ident: [
                replace(one, planned="" if places[one.device] == one.at else places[one.device])
                if one.device in places
                else one
                for one in those
            ]
            for ident, those in self._own.items()
        }
        other._who_goes_elsewhere()
        return other


def _item(profile: Profile | None, role: str) -> Any:
    return profile.with_role(role) if profile is not None else None


def has_by_role(device: Device, profile: Profile | None, running: Mapping[str, Any]) -> dict[str, str]:
    """By role, as it was decided, else as it has it."""
    found: dict[str, str] = {}
    for role in ROLES[1:]:
        item = _item(profile, role)
        if item is None:
            continue
        value = get(device.intended, item.path)
        value = get(dict(running), item.path) if value is MISSING else value
        if value is not MISSING and value is not None:
            found[role] = str(value)
    return found


def _heard_with(device: Device) -> dict[str, str]:
    """The parity with which it was found; empty where no sweep tried several."""
    parity = str(device.facts.get("parity", ""))[:1]
    return {"parity": parity} if parity else {}


@transaction.atomic
def decide(
    assignments: Sequence[tuple[str, Mapping[str, str]]], versions: dict[str, int], library: Library
) -> list[Device]:
    """By device what it is to have, by role: all or none. Raises core's errors and Conflict."""
    found = Device.objects.in_bulk([device for device, _ in assignments])
    changes: list[tuple[str, str, Any]] = []
    for ident, values in assignments:
        device = found.get(ident)
        if device is None:
            raise RequestError(f"There is no device {ident!r} any more.", "Look at the proposals again.")
        profile = profile_of(device, library)
        for role, value in values.items():
            item = _item(profile, role)
            if item is None:
                raise RequestError(f"{profile.model} has no {role} that can be set.", "Nothing was changed.")
            changes.append((device.id, item.path, value))
    return set_intended(changes, library, versions)
