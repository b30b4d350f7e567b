"""Art-Net: one poll by broadcast; nodes may answer to the asker or by broadcast to port 6454.

Of each node that speaks RDM, the units on its ports are asked for, and then who they are.
"""

from __future__ import annotations

import asyncio

from netloom_core.drivers.rdm.driver import facts_of
from netloom_core.drivers.rdm.talk import Node
from netloom_core.errors import DeviceError, NoAnswer, ProtocolError
from netloom_core.links.shared_udp import Inbox, SharedPort
from netloom_core.links.udp import broadcast_of
from netloom_core.model.line import UNIT_MARK
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
    sends = "One ArtPoll by broadcast; to nodes that speak RDM, questions for their tables and to each unit in them."
    wait_s = LISTEN_S

    async def run(self, look: Look) -> None:
        port = look.owners.shared(look.line, artnet.PORT)
        loop = asyncio.get_running_loop()
        async with port.listening() as inbox:
            if not port.hears_all:
                look.note(f"Answers by broadcast cannot be heard: {port.trouble}")
            await look.send(port.link, artnet.poll(), broadcast_of(look.line.source, look.line.network), artnet.PORT)
            begun: list[asyncio.Task[None]] = []
            try:
                await self._hear(look, port, inbox, loop.time() + LISTEN_S, begun)
                await look.all_of(begun)
            finally:
                for task in begun:
                    task.cancel()

    async def _hear(
        self, look: Look, port: SharedPort, inbox: Inbox, until: float, begun: list[asyncio.Task[None]]
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
                    begun.append(asyncio.ensure_future(_behind(look, port, address, leading[address])))
                leading[address].update(reply.universes)


async def _behind(look: Look, port: SharedPort, host: str, universes: set[int]) -> None:
    await asyncio.sleep(artnet.PARTS_S)  # `universes` grow meanwhile
    node = Node(port, host, UNIT_S)
    async with node.open():
        await look.pace.take()
        await node.search(sorted(universes))
        units = sorted(node.places)
        if len(units) > MOST_UNITS:
            look.note(f"{host} tells {len(units)} units on its ports; {MOST_UNITS} were asked who they are.")
        mute: list[str] = []
        in_a_row = 0
        for uid in units[:MOST_UNITS]:
            await look.pace.take(ASKED_EACH)
            answers = await _sight(look, node, uid)
            in_a_row = 0 if answers else in_a_row + 1
            if not answers:
                mute.append(rdm.uid_text(uid))
            if in_a_row >= GIVE_UP:
                look.note(
                    f"{host} has {len(units)} units in its table; after {in_a_row} silent ones no more were asked."
                )
                break
        if mute:
            look.note(f"{host} has units in its table that do not answer: {', '.join(mute[:MOST_NAMED])}.")
        look.sight(host, ArtNetPoll.name, units=str(len(units)), mute_units=" ".join(mute[:MOST_NAMED]))


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
