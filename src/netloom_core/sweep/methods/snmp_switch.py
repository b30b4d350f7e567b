"""What a switch tells of who is behind which port: forwarding tables (RFC 4188, 4363) and LLDP (IEEE 802.1AB)."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

from netloom_core.drivers.snmp.agent import Asked, ByCommunity
from netloom_core.links.udp import UdpLink
from netloom_core.protocols import snmp
from netloom_core.sweep.base import Look
from netloom_core.sweep.methods.snmp_agent import Row, columns


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
    first = await columns(agent, (snmp.BRIDGE_PORT_IF, snmp.IF_NAME, snmp.IF_DESCR, snmp.LLDP_CHASSIS))
    bridge = first[snmp.BRIDGE_PORT_IF]
    interfaces = {index[0]: value for index, value in bridge.rows if len(index) == 1 and isinstance(value, int)}
    ports = Ports(interfaces, _texts(first[snmp.IF_NAME].rows) or _texts(first[snmp.IF_DESCR].rows))
    uplinks = await _neighbours(look, agent, first[snmp.LLDP_CHASSIS].rows, ports)
    if not interfaces:
        return
    tables = await columns(agent, (snmp.VLAN_FDB_PORT, snmp.BRIDGE_FDB_PORT))
    behind = list(dict.fromkeys(pair for table in tables.values() for pair in snmp.forwarding(table.rows)))
    if not all(one.whole for one in (bridge, *tables.values())):
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


async def _neighbours(look: Look, agent: Asked, chassis: list[Row], ports: Ports) -> set[str]:
    """Tells who says by LLDP that it is at which port; gives the ports behind which there is another bridge."""
    if not chassis:
        return set()
    remote = (snmp.LLDP_CHASSIS_KIND, snmp.LLDP_NAME, snmp.LLDP_ABLE)
    own_ports = (snmp.LLDP_OWN_PORT, snmp.LLDP_OWN_KIND, snmp.LLDP_OWN_DESCR)
    found = {oid: column.rows for oid, column in (await columns(agent, (*remote, *own_ports))).items()}
    kinds, able = dict(found[snmp.LLDP_CHASSIS_KIND]), dict(found[snmp.LLDP_ABLE])
    names = _by_index(found[snmp.LLDP_NAME])
    own, described = _texts(found[snmp.LLDP_OWN_PORT]), _texts(found[snmp.LLDP_OWN_DESCR])
    kind_of_own = dict(found[snmp.LLDP_OWN_KIND])
    uplinks: set[str] = set()
    numbers = {name: number for number, name in ports.names.items()}
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
            # LLDP counts ports in its own way: only by its name is one the same as an interface.
            told = {"host": names.get(index, ""), "switch_interface": str(numbers.get(port, ""))}
            look.sight("", "lldp", mac=mac, switch=agent.address, switch_port=port, port_macs="1", **told)
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
