"""Tables of SNMP agents that end, do not end, lose their order, or answer too big; and what a switch tells."""

from __future__ import annotations

from bisect import bisect_right
from typing import Any

import pytest

from netloom_core.protocols import snmp
from netloom_core.sweep.methods.snmp_agent import columns
from netloom_core.sweep.methods.snmp_switch import read_switch

Oid = snmp.Oid


class Agent:
    """In memory: answers as an agent does, with at most `room` bindings at once."""

    def __init__(self, rows: dict[Oid, Any], room: int = 60) -> None:
        self.address, self._rows, self._room, self.asked = "10.0.0.2", sorted(rows.items()), room, 0

    async def get(self, oids: tuple[Oid, ...]) -> snmp.Response | None:
        have = dict(self._rows)
        return snmp.Response(0, 0, tuple((oid, have.get(oid)) for oid in oids))

    async def bulk(self, oids: tuple[Oid, ...], repetitions: int) -> snmp.Response | None:
        self.asked += 1
        at, names, binds = list(oids), [oid for oid, _ in self._rows], []
        for _ in range(repetitions):
            for number, oid in enumerate(at):
                place = bisect_right(names, oid)
                binds.append(self._rows[place] if place < len(names) else (oid, None))
                at[number] = binds[-1][0]
        return snmp.Response(0, 0, tuple(binds[: self._room]))


async def walk(agent: Agent, oid: Oid, most: int = 20_000) -> tuple[list[Any], bool]:
    column = (await columns(agent, (oid,), most))[oid]
    return list(column.rows), column.whole


def table(oid: Oid, count: int, value: Any = 1) -> dict[Oid, Any]:
    return {(*oid, number): value for number in range(1, count + 1)}


@pytest.mark.parametrize("room", [3, 7, 60, 1000])
async def test_columns_of_unlike_lengths_are_whole(room: int) -> None:
    rows = {
        **table(snmp.IF_MAC, 130, b"\0\1\2\3\4\5"),
        **table(snmp.IF_NAME, 3, b"7"),
        **table(snmp.ENTITY_CLASS, 1, 3),
    }
    found = await columns(Agent(rows, room), (snmp.IF_MAC, snmp.IF_NAME, snmp.ENTITY_CLASS, snmp.LLDP_NAME))
    assert [len(found[oid].rows) for oid in found] == [130, 3, 1, 0]
    assert all(column.whole for column in found.values())


async def test_what_is_asked_of_a_small_device_takes_one_answer() -> None:
    agent = Agent({**table(snmp.IF_MAC, 2, b"\0\1\2\3\4\5"), **table(snmp.ENTITY_CLASS, 1, 3)})
    await columns(agent, (snmp.IF_MAC, snmp.ENTITY_CLASS, *(oid for oid, _ in snmp.ENTITY)))
    assert agent.asked == 1


async def test_a_table_without_an_end_gives_a_part() -> None:
    class Endless(Agent):
        async def bulk(self, oids: tuple[Oid, ...], repetitions: int) -> snmp.Response | None:
            base = oids[0] if len(oids[0]) > len(snmp.IF_MAC) else (*oids[0], 0)
            rows = tuple(((*base[:-1], base[-1] + n + 1), b"x") for n in range(repetitions))
            return snmp.Response(0, 0, rows)

    rows, whole = await walk(Endless({}), snmp.IF_MAC, 500)
    assert 500 <= len(rows) < 600
    assert not whole


async def test_an_agent_that_goes_in_circles_is_left() -> None:
    class Circle(Agent):
        async def bulk(self, oids: tuple[Oid, ...], repetitions: int) -> snmp.Response | None:
            return snmp.Response(0, 0, tuple(((*snmp.IF_MAC, n), b"x") for n in (1, 2, 3)))

    rows, whole = await walk(Circle({}), snmp.IF_MAC)
    assert (len(rows), whole) == (3, False)


async def test_too_big_is_asked_in_smaller_pieces_and_silence_gives_a_part() -> None:
    class Small(Agent):
        async def bulk(self, oids: tuple[Oid, ...], repetitions: int) -> snmp.Response | None:
            return snmp.Response(0, snmp.TOO_BIG, ()) if repetitions > 4 else await super().bulk(oids, repetitions)

    rows, whole = await walk(Small(table(snmp.IF_MAC, 30)), snmp.IF_MAC)
    assert (len(rows), whole) == (30, True)

    class Tired(Agent):
        async def bulk(self, oids: tuple[Oid, ...], repetitions: int) -> snmp.Response | None:
            return await super().bulk(oids, repetitions) if self.asked < 2 else None

    rows, whole = await walk(Tired(table(snmp.IF_MAC, 300)), snmp.IF_MAC)
    assert rows
    assert not whole


class Seen:
    """What a look is told."""

    def __init__(self) -> None:
        self.facts: list[dict[str, str]] = []
        self.notes: list[str] = []

    def sight(self, address: str, method: str, **facts: str) -> None:
        self.facts.append({"method": method, **facts})

    def note(self, text: str) -> None:
        self.notes.append(text)


async def test_ports_go_by_their_names_over_vlans_and_uplinks_are_known_by_lldp() -> None:
    camera, other = (0, 0x50, 0xC2, 0, 0, 7), (0, 0x50, 0xC2, 0, 0, 9)
    rows: dict[Oid, Any] = {
        (*snmp.BRIDGE_PORT_IF, 1): 10101, (*snmp.BRIDGE_PORT_IF, 24): 10124,
        (*snmp.IF_NAME, 10101): b"port 1", (*snmp.IF_NAME, 10124): b"port 24",
        (*snmp.VLAN_FDB_PORT, 20, *camera): 1, (*snmp.VLAN_FDB_PORT, 20, *other): 24,
        (*snmp.BRIDGE_FDB_PORT, *camera): 1,
        (*snmp.LLDP_CHASSIS, 0, 24, 1): bytes(other), (*snmp.LLDP_CHASSIS_KIND, 0, 24, 1): snmp.LLDP_BY_MAC,
        (*snmp.LLDP_NAME, 0, 24, 1): b"Hall switch", (*snmp.LLDP_ABLE, 0, 24, 1): bytes((snmp.LLDP_BRIDGE,)),
        (*snmp.LLDP_OWN_PORT, 24): b"port 24", (*snmp.LLDP_OWN_KIND, 24): 5,
    }  # fmt: skip
    look = Seen()
    await read_switch(look, Agent(rows))  # type: ignore[arg-type]
    told = {(one["method"], one["mac"]): one for one in look.facts}
    port = told["forwarding", "00:50:c2:00:00:07"]
    assert (port["switch_port"], port["switch_interface"], port["uplink"]) == ("port 1", "10101", "")
    assert told["forwarding", "00:50:c2:00:00:09"]["uplink"] == "yes"
    neighbour = told["lldp", "00:50:c2:00:00:09"]
    assert (neighbour["host"], neighbour["switch_port"]) == ("Hall switch", "port 24")
    assert neighbour["switch_interface"] == "10124", "by its name, since LLDP counts in its own way"
    assert look.notes == []
