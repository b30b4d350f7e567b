"""Who is to be given which address on a line, out of the plan."""

from __future__ import annotations

import re
from collections import Counter

from netloom_core.errors import RequestError
from netloom_core.leases.giving import LeasePlan
from netloom_core.leases.responder import Lease
from netloom_core.library.load import Library
from netloom_core.model.line import host_of
from netloom_server.base.problems import Conflict, NotFound
from netloom_server.installation.models import Device, Line
from netloom_server.installation.services.decisions import holders, planned_address
from netloom_server.installation.services.lines import in_use
from netloom_server.installation.services.places import rules_of

_MAC = re.compile(r"([0-9a-f]{2}:){5}[0-9a-f]{2}")


def macs_of(device: Device) -> list[str]:
    """All that are known of it, in small letters with colons."""
    told = [key.removeprefix("mac:") for key in device.keys if key.startswith("mac:")]
    plain = re.sub(r"[^0-9a-f]", "", str(device.facts.get("mac", "")).lower())
    told.append(":".join(plain[at : at + 2] for at in range(0, len(plain), 2)))
    return [mac for mac in dict.fromkeys(told) if _MAC.fullmatch(mac)]


def plan_of(ident: str, library: Library) -> LeasePlan:
    """What several bear, or several are planned for, is given to nobody."""
    line = Line.objects.filter(id=ident).first()
    if line is None:
        raise NotFound("The line's record was removed.", "Look at the lines again.")
    core, rules = in_use(line).as_core(), rules_of(line)
    found: list[tuple[str, Lease]] = []
    planned: Counter[str] = Counter()
    for device in line.devices.filter(taken_in=True):
        address = planned_address(device, library.get(device.profile))
        if not address or host_of(address) != address or not core.holds(address):
            continue
        planned[address] += 1
        found += [(mac, Lease(address, device.name)) for mac in macs_of(device)]
    borne = Counter(mac for mac, _ in found)
    leases = {mac: lease for mac, lease in found if borne[mac] == 1 and planned[lease.address] == 1}
    return LeasePlan(core, leases, rules.mask, rules.gateway)


def may_be_given(line: Line, mac: str, address: str, library: Library) -> None:
    """To one that is in no plan. Raises where somebody has the address, is to have it, or a rule keeps it."""
    core = in_use(line).as_core()
    if not core.holds(address) or address == core.source:
        raise RequestError(f"{address} is no address for a unit on {line.name}.", "Choose a free one.")
    for holder in holders(library, line):
        if holder.address == address and mac not in macs_of(Device.objects.get(id=holder.device)):
            raise Conflict(f"{address} on {line.name} belongs to {holder.name}.", "Choose a free one.")
    rules = rules_of(line)
    if free := rules.kept_free(address):
        raise Conflict(f"{address} {free}.", "Choose another one, or change the rules of the line.")
