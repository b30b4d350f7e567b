"""Art-Net: a poll by broadcast, and another for those that it did not reach; nodes may answer to the asker or by
broadcast to port 6454.

Of each node that speaks RDM, the units on its ports are asked for, and then who they are.
"""

from __future__ import annotations

import asyncio

from netloom_core.drivers.rdm.driver import facts_of
from netloom_core.drivers.rdm.talk import Node
from netloom_core.errors import DeviceError, NoAnswer, ProtocolError
from netloom_core.links.shared_udp import Inbox, SharedPort
from netloom_core.links.udp import broadcast_of
from netloom_core.model.line import UNIT_MARK, host_of
from netloom_core.protocols import artnet, rdm
from netloom_core.sweep.base import Look, Method

LISTEN_S = 3.2  # a node answers within a random second, and a poll is to be waited for 2.5 to 3 s
UNIT_S = 0.8  # for one answer of a unit behind it
ASKED_EACH = 6  # messages
MOST_UNITS = 512  # behind one node
MOST_NAMED = 25  # of those that are silent
GIVE_UP = 8  # silent units in a row


class ArtNetPoll(Method):
    name = "artnet"
    title = "Art-Net poll, and RDM to who is behind nodes"
    needs = "UDP port 6454, shared with other programs."
    sends = "Two ArtPolls by broadcast; to nodes that speak RDM, questions for their tables and to each unit in them."
    wait_s = LISTEN_S

    async def run(self, look: Look) -> None:
        port = look.owners.shared(look.line, artnet.PORT)
        loop = asyncio.get_running_loop()
        async with port.listening() as inbox:
            if not port.hears_all:
                look.note(f"Answers by broadcast cannot be heard: {port.trouble}")
            await _poll(look, port)
            begun = [asyncio.ensure_future(_poll(look, port, artnet.ANSWERS_S))]
            heard_out = asyncio.Event()
            try:
                await self._hear(look, port, inbox, loop.time() + LISTEN_S, begun, heard_out)
                heard_out.set()
                await look.all_of(begun)
            finally:
                for task in begun:
                    task.cancel()

    async def _hear(
        self,
        look: Look,
        port: SharedPort,
        inbox: Inbox,
        until: float,
        begun: list[asyncio.Task[None]],
        heard_out: asyncio.Event,
    ) -> None:
        """With nodes that lead units a talk of its own is begun, as soon as each answered."""
        leading: dict[str, set[int]] = {}
        while (came := await inbox.next(until)) is not None:
            data, address, _ = came
            try:
                reply = artnet.parse_reply(data)
            except ProtocolError:
                continue
            if not look.accepts(address):
                continue
            look.sight(address, self.name, **reply.facts(), **look.outside(address))
            if reply.rdm and reply.universes and look.line.holds(address):
                if address not in leading:
                    leading[address] = set()
                    behind = _behind(look, port, address, leading[address], heard_out)
                    begun.append(asyncio.ensure_future(behind))
                leading[address].update(reply.universes)


async def _poll(look: Look, port: SharedPort, after: float = 0.0) -> None:
    await asyncio.sleep(after)
    await look.send(port.link, artnet.poll(), broadcast_of(look.line.source, look.line.network), artnet.PORT)


async def _behind(look: Look, port: SharedPort, host: str, universes: set[int], heard_out: asyncio.Event) -> None:
    """`universes` grow until it is heard out: a node tells its ports in several replies, that may come late."""
    await asyncio.sleep(artnet.PARTS_S)
    node = Node(port, host, UNIT_S)
    untold: set[int] = set()
    named: dict[bytes, bool] = {}  # whether it answered
    searched: set[int] = set()
    async with node.open():
        await look.pace.take()
        while (new := universes - searched) or not heard_out.is_set():
            if not new:
                await heard_out.wait()
                continue
            searched |= new
            untold |= await node.search(sorted(new))
            await _name(look, node, named)
        if len(node.places) > MOST_UNITS:
            look.note(f"{host} tells {len(node.places)} units on its ports; {MOST_UNITS} were asked who they are.")
        if untold:
            told = ", ".join(f"universe {one}" for one in sorted(untold))
            look.note(f"{host} does not tell who is on its ports in {told}.")
        _tell_of_silent(look, node, named, untold)


def _tell_of_silent(look: Look, node: Node, named: dict[bytes, bool], untold: set[int]) -> None:
    """Who is in the node's table and did not answer, those on record first: only some can be told by name. Of the
    others, and of those that were not asked, their number is."""
    on_record = {address.partition(UNIT_MARK)[2] for address, _ in look.expected if host_of(address) == node.host}
    silent = sorted(
        (uid for uid, answered in named.items() if not answered), key=lambda uid: uid.hex() not in on_record
    )
    by_name = [rdm.uid_text(uid) for uid in silent[:MOST_NAMED]]
    if by_name:
        look.note(f"{node.host} has units in its table that do not answer: {', '.join(by_name)}.")
    units, unnamed = str(len(node.places)), len(silent) - len(by_name) + len(node.places.keys() - named.keys())
    ports = " ".join(str(one) for one in sorted(untold))
    look.sight(
        node.host,
        ArtNetPoll.name,
        units=units,
        mute_units=" ".join(by_name),
        more_mute=str(unnamed or ""),
        untold_universes=ports,
    )


async def _name(look: Look, node: Node, named: dict[bytes, bool]) -> None:
    """Ask those that are not `named` yet who they are."""
    in_a_row = 0
    for uid in sorted(node.places.keys() - named.keys()):
        if len(named) >= MOST_UNITS:
            return
        await look.pace.take(ASKED_EACH)
        named[uid] = await _sight(look, node, uid)
        in_a_row = 0 if named[uid] else in_a_row + 1
        if in_a_row >= GIVE_UP:
            units = f"{node.host} has {len(node.places)} units in its table"
            look.note(f"{units}; after {in_a_row} silent ones no more were asked.")
            return


async def _sight(look: Look, node: Node, uid: bytes) -> bool:
    """Whether it answers: one that is in the node's table and does not is not there; one that says little is."""
    try:
        info = rdm.device_info(await node.get(uid, rdm.DEVICE_INFO))
        facts = await facts_of(node, uid, info)
    except NoAnswer:
        return False
    except (DeviceError, ProtocolError) as error:
        facts = {"rdm_uid": rdm.uid_text(uid), "refused": error.message}
    universe = str(node.places[uid])
    look.sight(f"{node.host}{UNIT_MARK}{uid.hex()}", "rdm", universe=universe, behind=node.host, **facts)
    return True
