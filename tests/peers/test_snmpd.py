"""The survey's SNMP against Debian's snmpd: v2c, v3 with a user, v3 discovery without one."""

from __future__ import annotations

import asyncio
from dataclasses import replace
from pathlib import Path

import pytest

from netloom_core.bus.owner import Owners
from netloom_core.bus.turns import Priority
from netloom_core.clock import SystemClock
from netloom_core.drivers.registry import Drivers
from netloom_core.drivers.snmp.agent import ByCommunity, ByUser
from netloom_core.errors import WrongDevice
from netloom_core.library.load import Library
from netloom_core.links.shared_udp import SharedPort
from netloom_core.links.udp import UdpLink
from netloom_core.live.sessions import Sessions
from netloom_core.model.access import Access
from netloom_core.model.change import Change
from netloom_core.model.device import Credentials, Target
from netloom_core.model.line import Line
from netloom_core.model.snmp import SnmpAccess, SnmpUser
from netloom_core.protocols import snmp, snmp_notice
from netloom_core.sweep.methods.snmp import Snmp
from netloom_core.sweep.methods.snmp_agent import columns
from netloom_core.sweep.sweep import SweepResult, sweep
from tests.patience import SOON_S
from tests.peers.conftest import Start

AGENT, SOURCE = "127.33.1.10", "127.33.1.1"
LINE = Line("net", "Net", "ip", network="127.33.1.0/28", source=SOURCE)
USER = SnmpUser("watcher", "SHA-256", "a long enough key", "AES", "another long key")


def configuration(folder: Path, writes: str, more: str) -> str:
    """Where a community may write, nobody's configuration says who is to be asked: that is what it writes."""
    conf = folder / "snmpd.conf"
    conf.write_text(
        "rocommunity quay\n"
        + (f"rwcommunity {writes}\npsysContact nobody\n" if writes else "")
        + f'createUser {USER.name} {USER.auth} "{USER.auth_key}" {USER.priv} "{USER.priv_key}"\n'
        f"rouser {USER.name} priv\n"
        "sysName rack-1\nsysLocation Plant room\n"
        f"agentAddress udp:{AGENT}:161\n{more}"
    )
    return str(conf)


async def running(start: Start, folder: Path, writes: str = "", more: str = "") -> None:
    log = str(folder / "agent.log")
    start("snmpd", "-f", "-Lf", log, "-C", "-c", configuration(folder, writes, more), f"--persistentDir={folder}")
    for _ in range(100):
        with UdpLink(SOURCE) as link:
            await link.send(snmp.get(snmp.SYSTEM, "quay", 1), AGENT, snmp.PORT)
            async for _ in link.answers(0.2):
                return
    raise AssertionError("snmpd does not answer")


async def look(library: Library, access: Access) -> SweepResult:
    return await sweep([LINE], [], library, Owners(), SystemClock(), methods=[Snmp()], access={"net": access})


async def test_v2c(start: Start, tmp_path: Path, library: Library) -> None:
    await running(start, tmp_path)
    [finding] = (await look(library, Access(communities=("wrong", "quay")))).findings
    assert finding.address == AGENT
    assert (finding.facts["host"], finding.facts["place"]) == ("rack-1", "Plant room")
    assert finding.facts["mac"], "the MACs of this computer's interfaces"
    assert finding.facts["enterprise"] == "8072", "net-snmp's own number, out of its engine id"


@pytest.mark.parametrize(
    ("kind", "version", "waits"), [("trapsink", 0, False), ("trap2sink", 1, False), ("informsink", 1, True)]
)
async def test_its_notifications_are_taken_for_what_they_are(
    start: Start, tmp_path: Path, kind: str, version: int, waits: bool
) -> None:
    """The first is its cold start. An inform comes once if it is answered."""
    port = SharedPort(SOURCE, 10162)
    async with port.listening() as inbox:
        await running(start, tmp_path, more=f"{kind} {SOURCE} quay 10162\nauthtrapenable 1\n")
        heard = []
        until = asyncio.get_running_loop().time() + SOON_S
        while (came := await inbox.next(until)) is not None:
            told = snmp_notice.notice(came[0])
            if told.answer:
                await port.link.send(told.answer, came[1], came[2])
            heard.append(told)
            until = asyncio.get_running_loop().time() + 3  # it would say again what nobody answered
    assert 1 <= len(heard) <= 3, "one that waits and is answered is not said again"
    assert {(one.version, bool(one.answer)) for one in heard} == {(version, waits)}


async def test_an_agent_of_nobody_s_model_is_named_by_the_standard_and_proven_by_its_interfaces(
    start: Start, tmp_path: Path, library: Library
) -> None:
    await running(start, tmp_path, writes="dock")
    [finding] = (await look(library, Access(communities=("quay",)))).findings
    assert (finding.profile, finding.status) == ("standard-snmp", "unknown")
    owners = Owners()
    sessions = Sessions(Drivers(library, owners), library.maker, SystemClock())
    target = Target(
        "d1", "Rack", finding.profile, LINE, AGENT, models=("",), keys=finding.keys, found=True,
        credentials=(Credentials("", "dock"),), snmp=SnmpAccess(communities=("quay",)),
    )  # fmt: skip
    try:
        talk = await sessions.talk(target, "test", Priority.RUN)
        before = await talk.read("running")
        assert (before["name"], before["contact"]) == ("rack-1", "nobody")
        await talk.write([Change("/contact", "nobody", "The harbour office")])
        assert (await talk.read("running"))["contact"] == "The harbour office"
        stranger = replace(target, device="d2", keys=("mac:02:00:00:00:00:99",))
        with pytest.raises(WrongDevice):
            await (await sessions.talk(stranger, "test", Priority.RUN)).read("running")
    finally:
        await sessions.close()
        owners.close()


async def test_a_wrong_community_is_silence_and_v3_still_tells_that_somebody_is_there(
    start: Start, tmp_path: Path, library: Library
) -> None:
    await running(start, tmp_path)
    [finding] = (await look(library, Access())).findings
    assert finding.methods == ["snmp-engine"]
    assert "host" not in finding.facts


async def test_v3_with_a_user(start: Start, tmp_path: Path, library: Library) -> None:
    await running(start, tmp_path)
    [finding] = (await look(library, Access(communities=(), snmp_users=(USER,)))).findings
    assert finding.facts["host"] == "rack-1"
    stranger = SnmpUser("watcher", "SHA-256", "a wrong key it is", "AES", "another long key")
    agent = ByUser(None, SOURCE, AGENT, stranger)
    assert await agent.get(snmp.SYSTEM) is None
    assert agent.refused
    agent.close()


async def test_a_walk_by_v3_is_the_same_as_by_v2c(start: Start, tmp_path: Path) -> None:
    await running(start, tmp_path)
    by_user = ByUser(None, SOURCE, AGENT, USER)
    try:
        with UdpLink(SOURCE) as link:
            by_community = ByCommunity(None, link, AGENT, "quay")
            assert await columns(by_user, (snmp.IF_MAC,)) == await columns(by_community, (snmp.IF_MAC,))
    finally:
        by_user.close()


async def test_a_walk_ends_at_the_end_of_its_column(start: Start, tmp_path: Path) -> None:
    await running(start, tmp_path)
    with UdpLink(SOURCE) as link:
        agent = ByCommunity(None, link, AGENT, "quay")
        found = (await asyncio.wait_for(columns(agent, (snmp.IF_STATE,)), SOON_S))[snmp.IF_STATE]
        part = (await asyncio.wait_for(columns(agent, (snmp.IF_STATE,), 1), SOON_S))[snmp.IF_STATE]
    states, whole = found.rows, found.whole
    assert part.rows[0] == states[0]
    assert states
    assert whole
    assert all(len(index) == 1 for index, _ in states)
