"""Reasons on an IP line: this computer's own network first, then the address, then the switch."""

from __future__ import annotations

import asyncio
import ipaddress

from netloom_core.absence.case import Case
from netloom_core.errors import NetloomError
from netloom_core.links import interfaces, neighbours, tcp
from netloom_core.model.line import RDM_DIGITS, UNIT_MARK, host_of
from netloom_core.model.sighting import Reason
from netloom_core.sweep.methods.echo import ping
from netloom_core.sweep.methods.snmp_switch import port_state

PROBE_S = 1.5
ECHO_S = 1.5
WITHOUT_CONNECTION = {"artnet": "Art-Net", "snmp": "SNMP", "rdm": "RDM", "sacn": "sACN"}
USUAL_PORTS = (80, 22, 443)
PORTS_TRIED = 3
BEST_FIRST = ("open", "refused", "silent")
POWER = {1: "switched off", 2: "searching for a device, so nothing draws power", 4: "in a fault", 6: "in another fault"}


async def own_interface(case: Case) -> list[Reason]:
    """Whether this computer can be on that network at all."""
    line = case.line
    network = ipaddress.IPv4Network(line.network)
    if network.subnet_of(interfaces.LOOPBACK):
        return []
    known = interfaces.all_interfaces()
    mine = [one for one in known if ipaddress.ip_address(one.address) in network]
    listed = ", ".join(f"{one.address} on {one.name}" for one in known) or "none"
    if line.interface and line.interface not in {one.name for one in known}:
        return [
            Reason(
                f"This computer has no interface {line.interface} with an address; it has {listed}.",
                "Plug the network adapter in, or say which interface the line is on now.",
                "The system's interfaces were listed.",
                100,
            )
        ]
    down = [one for one in mine if not one.link and line.interface in ("", one.name)]
    if down:
        return [
            Reason(
                f"There is no link on this computer's interface {down[0].name}.",
                "Look at the cable at this computer, and at the other end of it.",
                f"The system says that {down[0].name} has no carrier.",
                100,
            )
        ]
    if not mine:
        return [
            Reason(
                f"This computer has no address in {network}; it has {listed}.",
                f"Give its network card an address in {network}; no other setting is needed.",
                "The system's addresses were listed.",
                100,
            )
        ]
    names = sorted({one.name for one in mine})
    if len(names) > 1:
        return [
            Reason(
                f"Two interfaces of this computer claim {network}: {' and '.join(names)}.",
                "Answers may go the wrong way: take the address from the one that is not on this network.",
                "The system's addresses were listed.",
                90,
            )
        ]
    return []


async def overlapping_lines(case: Case) -> list[Reason]:
    network = ipaddress.IPv4Network(case.line.network)
    return [
        Reason(
            f"The lines {case.line.name} ({network}) and {other.name} ({other.network}) overlap, so an address can "
            "mean two devices.",
            "Give the lines networks that do not overlap, or remove the one that is not used.",
            "The networks of all lines were compared.",
            55,
        )
        for other in case.lines
        if other.kind == "ip" and other.id != case.line.id and ipaddress.IPv4Network(other.network).overlaps(network)
    ][:2]


async def behind_its_node(case: Case) -> list[Reason]:
    """A unit on a lighting node's port: what the node said of it in this sweep."""
    host, _, unit = case.record.address.partition(UNIT_MARK)
    if len(unit) != RDM_DIGITS:
        return []
    node = next((f for f in case.findings if any((p.line, p.address) == (case.line.id, host) for p in f.places)), None)
    if node is None:
        return [
            Reason(
                f"Its node at {host} does not answer, so nobody behind it can.",
                "Look at the node first: its power, its cable, its address.",
                "A poll of Art-Net was sent to everybody.",
                96,
            )
        ]
    mute = {uid.replace(":", "").lower() for uid in node.facts.get("mute_units", "").split()}
    if unit in mute:
        return [
            Reason(
                f"Its node at {host} has it in its table, and it does not answer.",
                "Look at its power and its DMX cable; it may have been unplugged since the node searched.",
                "The node was asked for its table, and the unit by RDM, just now.",
                94,
            )
        ]
    untold = node.facts.get("untold_universes") or ("" if "units" in node.facts else "any universe")
    if untold or node.facts.get("more_mute"):
        what = f"did not tell who is on its ports in {untold}" if untold else "has more units than were asked or named"
        return [
            Reason(
                f"Its node at {host} answers, and {what}: whether it hangs there is not known.",
                "Sweep the line once more; if that is the same, look at the node's ports.",
                "What the node told of its ports in this sweep was looked at.",
                90,
            )
        ]
    return [
        Reason(
            f"Its node at {host} answers and does not have it on any port.",
            "Look at its DMX cable, and whether it hangs on another node; the node may need to search anew.",
            "The node was asked for its table of units just now.",
            94,
        )
    ]


async def not_on_its_service(case: Case) -> list[Reason]:
    """Somebody is at the address, but the device's own service does not answer."""
    address = case.record.address
    if not address or not case.line.holds(address):
        return [
            Reason(
                f"It has no address in {case.line.network}, and nothing on the line said it was this device.",
                "Plan an address for it under Address.",
                "The record was looked at.",
                80,
            )
        ]
    if not case.line.source or any(finding.keys or finding.profile for finding in case.here):
        return []  # somebody else is there, which another test says
    if len(address.partition(UNIT_MARK)[2]) == RDM_DIGITS:
        return []  # it has no address of its own
    host, tried = host_of(address), _ports(case)[:PORTS_TRIED]
    try:
        answers = await asyncio.gather(*(tcp.probe_port(case.line.source, host, port, PROBE_S) for port in tried))
    except NetloomError as error:
        return [Reason(error.message, error.hint, f"TCP port {tried[0]} was tried.", 90)]
    answer, port = min(zip(answers, tried, strict=True), key=lambda one: BEST_FIRST.index(one[0]))
    seen_by = sorted({m for f in case.here for m in f.methods} - {"connect"})
    echo = await _echo(case)
    alive = [*(["ICMP echo"] if echo else []), *seen_by, *(["the neighbour table"] if _arp(case) else [])]
    listed = f"port {port}" if len(tried) == 1 else f"ports {', '.join(map(str, tried))}"
    tense, too = ("was" if len(tried) == 1 else "were"), ("" if echo is None else ", and an ICMP echo")
    test = f"TCP {listed} of {address} {tense} tried just now{too}."
    if answer == "open":
        return [
            Reason(
                f"{address} takes connections on port {port} but does not say who it is.",
                "It may still be starting, be busy, or run another firmware: sweep again in a minute.",
                test,
                75,
            )
        ]
    if alive:
        return [
            Reason(
                f"{address} is there ({', '.join(dict.fromkeys(alive))}) but not on its service, port {port}.",
                "It may be starting, busy, or in another firmware mode: look at it by the method named.",
                test,
                82,
            )
        ]
    asked = _asked_otherwise(case)
    if asked:
        return [
            Reason(
                f"Nobody answers at {address}: not by {asked}"
                + (f", and it refuses TCP {listed}." if answer == "refused" else f", nor on TCP {listed}."),
                "Look at its power and its cable, and whether it has this address.",
                f"The sweep asked by {asked}. {test}",
                55,
            )
        ]
    if answer == "refused":
        return [
            Reason(
                f"{address} refuses connections on port {port}.",
                "Nothing there runs the device's service: is it plugged in and powered, and does it have this address?",
                test,
                45,
            )
        ]
    return [
        Reason(
            f"{address} gave no answer on port {port} within {PROBE_S:g} s.",
            "Look at its power, its cable and its switch port.",
            test,
            45,
        )
    ]


async def needs_restart(case: Case) -> list[Reason]:
    if not case.history.staged:
        return []
    return [
        Reason(
            f"It waits for a restart: {case.history.staged}.",
            "Restart it or cut its power shortly, then sweep again.",
            "The journal was compared with what it last told.",
            78,
        )
    ]


async def switch_port(case: Case) -> list[Reason]:
    """Ask the switch now that last saw the device's MAC address."""
    history = case.history
    if not history.switch or not history.switch_interface or not case.line.source:
        return []
    state, power = await port_state(case.line.source, history.switch, history.switch_interface, history.community)
    name = f"port {history.switch_port} of {history.switch_name or history.switch}"
    test = f"The switch was asked by SNMP just now: link {state}, power {power}."
    if state is None:
        return [
            Reason(
                f"The switch {history.switch_name or history.switch}, behind which it was, does not answer by SNMP.",
                "Look at the switch first.",
                "SNMP was asked three times.",
                65,
            )
        ]
    if power in POWER:
        return [
            Reason(
                f"It was last behind {name}, and that port gives no power: it is {POWER[power]}.",
                "Switch the port's power on, or look at the cable and the device.",
                test,
                92,
            )
        ]
    if state != 1:
        return [
            Reason(
                f"It was last behind {name}, and that port is down.",
                "Look at the cable at both ends, and whether the port is switched off.",
                test,
                91,
            )
        ]
    return [
        Reason(
            f"It was last behind {name}, which has a link now.",
            "Something is plugged in there: this device without its address, or another one.",
            test,
            40,
        )
    ]


def _asked_otherwise(case: Case) -> str:
    """The protocols without connections by which it is read, where it has no others."""
    channels = list(case.profile.channels.values()) if case.profile else []
    if any(channel.tcp_ports for channel in channels):
        return ""
    return " or ".join(sorted({WITHOUT_CONNECTION[c.protocol] for c in channels if c.protocol in WITHOUT_CONNECTION}))


def _ports(case: Case) -> list[int]:
    """On which it should answer: by its profile, else where it was known, else where most devices do."""
    profile = case.profile
    if profile is None:
        return list(case.history.ports or USUAL_PORTS)
    found = [port for channel in profile.channels.values() for port in channel.tcp_ports]
    found += profile.signs.ports
    if profile.console and profile.console.port:
        found.append(profile.console.port)
    return list(dict.fromkeys([*found, *case.history.ports])) or list(USUAL_PORTS)


async def _echo(case: Case) -> bool | None:
    """None where an echo cannot be sent or would prove nothing."""
    if case.line.loopback:
        return None
    try:
        return await ping(case.line.source, case.record.address, ECHO_S)
    except NetloomError:
        return None


def _arp(case: Case) -> bool:
    """Whether it answered ARP just now, as the connection that was tried made the system ask."""
    if case.line.loopback:
        return False
    return case.record.address in neighbours.confirmed(case.line.interface, PROBE_S + ECHO_S + 0.5)
