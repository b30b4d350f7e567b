"""What is wrong with the places on a line before anything is written: told for each device, worst first. Pure."""

from __future__ import annotations

import ipaddress
from collections import Counter, defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass

from netloom_core.addressing.hostnames import is_host_name
from netloom_core.addressing.planning import Resident
from netloom_core.addressing.rules import Rules
from netloom_core.model.line import PARITIES, Line, host_of, second_address

# Codes in the order of how much is lost by them.
CODES = (
    "own-address", "duplicate", "other-subnet", "outside", "not-usable", "bound", "line-lost", "same-subnet",
    "overlap", "over-the-end", "other-universe", "sent-twice", "gateway-outside", "mask-differs", "in-pool", "reserved",
    "out-of-range", "no-sender", "factory-place", "cannot", "host-name", "name-twice", "speed-differs",
    "parity-differs",
)  # fmt: skip


USUAL_BITS = 24  # of a small network whose mask nobody told
NO_GATEWAY = str(ipaddress.IPv4Address(0))


@dataclass(frozen=True)
class Trouble:
    """`device` is empty where it is about the line itself; `hint` is what to try."""

    code: str
    line: str
    device: str
    name: str
    address: str
    message: str
    hint: str

    def as_dict(self) -> dict[str, str]:
        return asdict(self)


def check_line(line: Line, rules: Rules, residents: Sequence[Resident], factory: Iterable[str] = ()) -> list[Trouble]:
    """Of all who belong to the installation on it, as they are decided to be; of others only that they are in the
    way."""
    found = [*_of_places(line, rules, residents, frozenset(factory)), *_of_values(line, rules, residents)]
    return sorted(found, key=lambda one: (CODES.index(one.code), one.name))


def _of_places(line: Line, rules: Rules, residents: Sequence[Resident], factory: frozenset[str]) -> Iterator[Trouble]:
    at: dict[str, list[Resident]] = defaultdict(list)
    bound: dict[str, list[Resident]] = defaultdict(list)
    for one in residents:
        if one.place:
            at[one.place].append(one)
        for place in one.bound:
            bound[place].append(one)
    for one in residents:
        if one.elsewhere or not one.place:
            continue
        if not one.mine:
            if unreached := _unreached(line, one):
                yield unreached
            continue
        place = one.place

        def told(code: str, message: str, hint: str, one: Resident = one, place: str = place) -> Trouble:
            return Trouble(code, line.id, one.device, one.name, place, message, hint)

        if place == line.source:
            yield told("own-address", f"{place} is this computer's own address.", "Plan another one.")
            continue
        if not line.holds(place):
            unreached = _unreached(line, one) if one.at == place else None
            yield unreached or told(*_no_place(line, place))
            continue
        others = [other for other in at[place] if other.device != one.device]
        if others:
            names = " and ".join(other.name for other in others[:3])
            yield told("duplicate", f"{place} is for {one.name} and for {names}.", "Plan another one for one of them.")
        for other in bound.get(place, ()):
            if other.device != one.device:
                yield told(
                    "bound",
                    f"{other.name} may come to {place} at its next power cut.",
                    f"Read {other.name}, or plan another place.",
                )
        if free := rules.kept_free(place):
            code = "in-pool" if "pool" in free else "reserved"
            yield told(code, f"{place} {free}.", "Plan a place in a range.")
        elif place in factory and any(not other.fitted for other in residents if other.device != one.device):
            yield told("factory-place", f"{place} is where new units come up: the next one will meet it.", "Move it.")
        else:
            ranges = rules.ranges_for(one.kind, one.area)
            if ranges and not any(span.holds(place) for span in ranges):
                spans = " and ".join(map(str, ranges))
                yield told("out-of-range", f"{place} is outside of its range, {spans}.", "Plan it by the rules.")
        if one.planned and one.planned != one.at and one.fitted and "address" not in one.can:
            yield told("cannot", f"The address of {one.name} cannot be written.", "Set it at the device itself.")


def _unreached(line: Line, one: Resident) -> Trouble | None:
    """Somebody of another subnet on the same cable: this computer needs an address there, too, to talk to it."""
    if line.kind != "ip" or line.loopback or "." not in one.at or line.holds(one.at):
        return None
    if ipaddress.ip_address(host_of(one.at)) in ipaddress.ip_network(line.network):
        return None
    network = ipaddress.ip_network(f"{host_of(one.at)}/{USUAL_BITS}", strict=False)
    last = network.broadcast_address - 1
    own = str(last if str(last) != host_of(one.at) else last - 1)
    reached = second_address(line.interface or "INTERFACE", own, USUAL_BITS)
    return Trouble(
        "other-subnet", line.id, one.device, one.name, one.at,
        f"{one.at} is outside of {line.network}: this computer cannot talk to it from {line.source}.",
        f"Give this computer a second address there, where that is free: {reached} (as root). Then add {network} as a "
        "line, sweep it, and plan an address of this line for it. Take the second address away afterwards.",
    )  # fmt: skip


def _no_place(line: Line, place: str) -> tuple[str, str, str]:
    if line.kind == "ip":
        network = ipaddress.ip_network(line.network)
        host = host_of(place)
        if host in (str(network.network_address), str(network.broadcast_address)):
            which = "network" if host == str(network.network_address) else "broadcast"
            return "not-usable", f"{place} is the {which} address of {network}.", "Plan another one."
        return "outside", f"{place} is outside of {network}.", "Plan one inside, or put it on the line where it is."
    return "outside", f"{place} is no address on {line.name}.", "Plan another one."


def _of_values(line: Line, rules: Rules, residents: Sequence[Resident]) -> Iterator[Trouble]:
    mine = [one for one in residents if one.mine]
    usual_mask = rules.mask or _most(one.has.get("mask", "") for one in mine)
    names = Counter(one.has.get("name", "").casefold() for one in mine)
    for one in mine:

        def told(code: str, message: str, hint: str, one: Resident = one) -> Trouble:
            return Trouble(code, line.id, one.device, one.name, one.place, message, hint)

        mask, gateway, name = one.has.get("mask", ""), one.has.get("gateway", ""), one.has.get("name", "")
        if line.kind == "ip":
            if mask and usual_mask and mask != usual_mask:
                yield told(
                    "mask-differs", f"Its network mask is {mask}, the line's is {usual_mask}.", "Plan it by the rules."
                )
            if gateway and gateway != NO_GATEWAY and (wrong := _gateway_outside(one.place, mask, gateway, line)):
                yield told("gateway-outside", wrong, "Plan a gateway inside of its network, or none.")
            if name and not is_host_name(name):
                yield told(
                    "host-name",
                    f"{name!r} is no host name: letters, digits and hyphens, none of these at its end.",
                    "Give it another one.",
                )
            if name and names[name.casefold()] > 1:
                yield told("name-twice", f"Another device on the line is called {name}, too.", "Give one another name.")
        speed = one.has.get("speed", "")
        if rules.speed and speed and speed != str(rules.speed):
            yield told(
                "speed-differs", f"It speaks at {speed} baud, the line at {rules.speed}.", "Plan it by the rules."
            )
        parity = one.has.get("parity", "")
        if rules.parity and parity and parity != rules.parity:
            yield told(
                "parity-differs",
                f"It was heard with {PARITIES.get(parity, parity)} parity, the line's is {PARITIES[rules.parity]}.",
                "Set it at the device itself, or change the rules.",
            )
    if rules.parity and line.parity != rules.parity:
        yield Trouble(
            "parity-differs", line.id, "", line.name, "",
            f"Netloom speaks with {PARITIES.get(line.parity, line.parity)} parity there, its rules say "
            f"{PARITIES[rules.parity]}.",
            "Change the line, or its rules.",
        )  # fmt: skip


def _gateway_outside(place: str, mask: str, gateway: str, line: Line) -> str:
    try:
        own = ipaddress.IPv4Network(f"{place}/{mask}", strict=False) if mask else ipaddress.IPv4Network(line.network)
        outside = ipaddress.IPv4Address(gateway) not in own
    except ValueError:
        return f"Its gateway {gateway} and its mask {mask or 'not told'} do not fit {place}."
    return f"Its gateway {gateway} is outside of its network, {own}." if outside else ""


def _most(values: Iterable[str]) -> str:
    counted = Counter(value for value in values if value).most_common(1)
    return counted[0][0] if counted else ""


def check_lines(lines: Sequence[Line], lost: Mapping[str, str]) -> list[Trouble]:
    """Between lines: two with one subnet; and those that this computer cannot be on, `lost`, with why."""
    found = []
    networks = [(line, ipaddress.ip_network(line.network)) for line in lines if line.kind == "ip" and line.network]
    ordered = sorted(networks, key=lambda pair: (int(pair[1].network_address), pair[1].prefixlen))
    for at, (line, network) in enumerate(ordered):
        for other, theirs in ordered[at + 1 :]:
            if int(theirs.network_address) > int(network.broadcast_address):
                break
            found.append(
                Trouble(
                    "same-subnet", other.id, "", other.name, "",
                    f"{other.name} ({theirs}) and {line.name} ({network}) share addresses.",
                    "Merge them, or give one another network: an answer could come from either.",
                )
            )  # fmt: skip
    for line in lines:
        if why := lost.get(line.id):
            found.append(
                Trouble("line-lost", line.id, "", line.name, "", why, "Give this computer an address in that network.")
            )
    return found
