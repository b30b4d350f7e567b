"""What a switch tells of who is behind which port: forwarding tables (RFC 4188, 4363) and LLDP (IEEE 802.1AB)."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

from netloom_core.links.udp import UdpLink
from netloom_core.protocols import snmp
from netloom_core.sweep.base import Look
from netloom_core.sweep.methods.snmp_agent import Asked, ByCommunity, Row, walk


@dataclass(frozen=True)
class Ports:
    """Of a bridge: interface number by bridge port, and the names printed at interfaces, by their number."""

    interfaces: dict[int, int]
    names: dict[int, str]

    def name(self, port: int) -> str:
        number = self.interfaces.get(port, port)
        return self.names.get(number) or str(number)


async def read_switch(look: Look, agent: Asked) -> None:
    """Sightings without an address of their own: a MAC behind a port. Nothing when it is no bridge."""
    rows, whole = await walk(agent, snmp.BRIDGE_PORT_IF)
    interfaces = {index[0]: value for index, value in rows if len(index) == 1 and isinstance(value, int)}
    uplinks = await _neighbours(look, agent)
    if not interfaces:
        return
    names = _texts((await walk(agent, snmp.IF_NAME))[0]) or _texts((await walk(agent, snmp.IF_DESCR))[0])
    ports = Ports(interfaces, names)
    behind, all_read = await _forwarding(agent)
    if not (whole and all_read):
        look.note(f"The forwarding table of {agent.address} was not read to its end: {len(behind)} entries.")
    counts = Counter(port for _, port in behind)
    for mac, port in behind:
        look.sight(
            "",
            "forwarding",
            mac=mac,
            switch=agent.address,
            switch_port=ports.name(port),
            switch_interface=str(interfaces.get(port, port)),
            port_macs=str(counts[port]),
            uplink="yes" if ports.name(port) in uplinks else "",
        )


async def _forwarding(agent: Asked) -> tuple[list[tuple[str, int]], bool]:
    """(MAC, bridge port), each once, of the table by VLAN and of the one without; whether both are whole."""
    by_vlan, first = await walk(agent, snmp.VLAN_FDB_PORT)
    plain, second = await walk(agent, snmp.BRIDGE_FDB_PORT)
    return list(dict.fromkeys([*snmp.forwarding(by_vlan), *snmp.forwarding(plain)])), first and second


async def _neighbours(look: Look, agent: Asked) -> set[str]:
    """Tells who says by LLDP that it is at which port; gives the ports behind which there is another bridge."""
    chassis, _ = await walk(agent, snmp.LLDP_CHASSIS)
    if not chassis:
        return set()
    kinds = dict((await walk(agent, snmp.LLDP_CHASSIS_KIND))[0])
    names = _by_index((await walk(agent, snmp.LLDP_NAME))[0])
    able = dict((await walk(agent, snmp.LLDP_ABLE))[0])
    own = _texts((await walk(agent, snmp.LLDP_OWN_PORT))[0])
    kind_of_own = dict((await walk(agent, snmp.LLDP_OWN_KIND))[0])
    described = _texts((await walk(agent, snmp.LLDP_OWN_DESCR))[0])
    uplinks: set[str] = set()
    for index, value in chassis:
        if len(index) != 3:
            continue
        number = index[1]
        # A port that is known by its MAC address (subtype 3) or an address has its name in the description.
        readable = kind_of_own.get((number,)) not in (3, 4)
        port = (own.get(number) if readable else "") or described.get(number) or str(number)
        bridge = able.get(index, b"")
        if isinstance(bridge, bytes) and bridge and bridge[0] & snmp.LLDP_BRIDGE:
            uplinks.add(port)
        mac = snmp.mac(value) if kinds.get(index) == snmp.LLDP_BY_MAC else ""
        if mac:
            name = names.get(index, "")
            look.sight("", "lldp", mac=mac, host=name, switch=agent.address, switch_port=port, port_macs="1",
                       switch_interface=str(number))  # fmt: skip
    return uplinks


def _texts(rows: list[Row]) -> dict[int, str]:
    return {index[0]: snmp.text(value) for index, value in rows if len(index) == 1 and snmp.text(value)}


def _by_index(rows: list[Row]) -> dict[snmp.Oid, str]:
    return {index: snmp.text(value) for index, value in rows}


async def port_state(source: str, switch: str, interface: int, community: str) -> tuple[int | None, int | None]:
    """(ifOperStatus, pethPsePortDetectionStatus) of a switch's port now; None where it does not tell."""
    with UdpLink(source) as link:
        agent = ByCommunity(None, link, switch, community)
        oids = ((*snmp.IF_STATE, interface), (*snmp.POE_STATE, 1, interface))
        response = await agent.get(oids)
        values = dict(response.binds) if response else {}
        link_state, power = (values.get(oid) for oid in oids)
        return link_state if isinstance(link_state, int) else None, power if isinstance(power, int) else None
