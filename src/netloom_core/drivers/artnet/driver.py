"""Art-Net nodes: read by a poll of their own, set by ArtAddress, which they keep; each answer is another reply to a
poll.

A node of more than four ports answers with several replies, told apart by their bind index.
"""

from __future__ import annotations

import math
from collections.abc import AsyncGenerator, Callable, Hashable, Sequence
from contextlib import aclosing
from typing import Any

from netloom_core.drivers.artnet.form import ArtNetBinding, ArtNetChannel
from netloom_core.drivers.artnet.loading import load
from netloom_core.drivers.bound import BoundDriver, Told, identity_from
from netloom_core.drivers.carrier import TOLD_S, Presence
from netloom_core.drivers.wire import Unreadable, canonical, from_text
from netloom_core.errors import NoAnswer, NobodyThere, ProtocolError
from netloom_core.links.shared_udp import Asked, SharedPort
from netloom_core.model.device import Identity, Target
from netloom_core.model.image import Image
from netloom_core.profiles.profile import Bound, Profile
from netloom_core.protocols import artnet

ANSWER_S = 3.2  # a node may wait a random second, and a controller three (Art-Net 4, ArtPoll)
MASK_S = 1.0
INDICATORS = {"normal": artnet.LED_NORMAL, "muted": artnet.LED_MUTE, "located": artnet.LED_LOCATE}


class ArtNetDriver(BoundDriver):
    def __init__(self, target: Target, profile: Profile, name: str, port: SharedPort) -> None:
        super().__init__(target, profile, name)
        self._port = port
        self._presence = Presence(TOLD_S)
        channel = profile.channels[name]
        assert isinstance(channel, ArtNetChannel)
        self._load = channel.load
        self._replies: dict[int, artnet.PollReply] = {}

    @property
    def connection(self) -> Hashable | None:
        here = self._presence.mark is not None and self._replies
        return next(iter(self._replies.values())).mac if here else None

    async def _poll(self, packet: bytes = b"", wanted: frozenset[int] = frozenset()) -> dict[int, artnet.PollReply]:
        """Its replies by bind index, to a poll or to what is set. Raises NobodyThere where none comes.

        Each comes after a random moment of its own: those of `wanted` are waited for, and all that there may be where
        nobody knows which. The port is open for no longer than that: other programs on this computer hear on it, too.
        """
        found: dict[int, artnet.PollReply] = {}
        async with aclosing(self._answers(packet or artnet.poll(), whole=not wanted, again=not packet)) as answers:
            async for data in answers:
                try:
                    reply = artnet.parse_reply(data)
                except ProtocolError:
                    continue
                found[max(reply.bind_index, 1)] = reply
                if wanted and wanted <= found.keys():
                    break
        if not found:
            self._presence.lose()
            raise NobodyThere(
                f"{self.target.name or self.target.address} answers no poll of Art-Net.",
                "Look at its power and cable.",
                outcome="unknown" if packet else "not_sent",
            )
        self._presence.heard()
        self._replies = {**self._replies, **found} if packet else found
        return found

    async def _answers(
        self,
        packet: bytes,
        code: int = artnet.OP_POLL_REPLY,
        seconds: float = ANSWER_S,
        *,
        whole: bool = True,
        again: bool = False,
    ) -> AsyncGenerator[bytes, None]:
        """Packets of that kind, sent to whoever asked or to everybody. Once the node began, it is soon done, as a
        `whole`; else whoever takes them knows how many come, and waits for the last one. What only asks is sent `again`
        to one that is silent longer than it may be: one lost packet is no absence."""
        host, begun = self.target.address, False
        async with self._port.listening(host) as inbox:
            asked = Asked(self._port, inbox, host, packet)
            await asked.say(seconds, min(artnet.ANSWERS_S, seconds / 2) if again else math.inf)
            while (data := await asked.next()) is not None:
                if not _is(data, code):
                    continue  # others on this computer talk with it, too
                if whole and not begun:
                    begun = True
                    asked.over_in(artnet.PARTS_S)
                yield data

    async def identify(self) -> Identity:
        first = min((await self._poll()).items())[1]
        facts = first.facts()
        return identity_from({**facts, "maker": self.profile.maker, "model": self._model(first)})

    def _model(self, reply: artnet.PollReply) -> str:
        """A node tells its maker's number and its product's, which the profile knows."""
        wanted = [rule.facts for rule in self.profile.match if "oem" in rule.facts]
        ours = not wanted or any(facts["oem"].upper() == f"{reply.oem:04X}" for facts in wanted)
        return self.profile.model if ours else f"product {reply.oem:04X}"

    async def fetch(self, which: str, wanted: Sequence[Bound]) -> Told:
        """One poll for all; the mask has a question of its own."""
        self.need_proof()
        replies = await self._poll(wanted=frozenset(self._replies))
        told: dict[str, Any] = {}
        network: tuple[str, str] | None = None
        for bound in wanted:
            binding: ArtNetBinding = bound.binding
            if binding.what == "mask":
                network = network or await self._network()
                value: str | int | None = network[1]
            else:
                value = self._told(binding, replies)
            if value is None or value == "":
                continue
            try:
                text = isinstance(value, str) and bool(binding.words)
                told[bound.item.path] = (
                    from_text(bound.item, binding, str(value)) if text else canonical(bound.item, value)
                )
            except Unreadable as error:
                told[bound.item.path] = error
        return told

    def _told(self, binding: ArtNetBinding, replies: dict[int, artnet.PollReply]) -> str | int | None:
        first = min(replies.items())[1]
        page, number = divmod(binding.port, artnet.MAX_PORTS)
        ports = replies[page + 1].ports if page + 1 in replies else ()
        match binding.what:
            case "universe" | "merge" | "source" | "direction":
                return getattr(ports[number], binding.what) if number < len(ports) else None
            case "ip":
                return first.address
        return getattr(first, binding.what)

    async def _network(self) -> tuple[str, str]:
        async with aclosing(self._answers(artnet.ip_prog(), artnet.OP_IP_PROG_REPLY, MASK_S, again=True)) as answers:
            async for data in answers:
                try:
                    return artnet.parse_ip_prog_reply(data)[:2]
                except ProtocolError:
                    continue
        return "", ""

    async def load(self, image: Image, told: Callable[[int], None]) -> None:
        self.need_proof()
        assert self._load is not None
        await load(self._port, self.target, image, self._load.seconds, told)

    async def assign(self, values: Sequence[tuple[Bound, Any]]) -> None:
        """One packet for each, in the order given: a node acts on one command of a packet."""
        self.need_proof()
        for bound, value in values:
            await self._set(bound.binding, value)
            self.acted = True

    async def _set(self, binding: ArtNetBinding, value: Any) -> None:
        word = binding.words.get(str(value), value)
        page, number = divmod(binding.port, artnet.MAX_PORTS)
        match binding.what:
            case "ip" | "mask":
                asked = artnet.ip_prog(**{"ip" if binding.what == "ip" else "mask": str(word)})
                async with aclosing(self._answers(asked, artnet.OP_IP_PROG_REPLY, MASK_S)) as answers:
                    await anext(answers, b"")
                return
            case "short_name" | "long_name" | "net" | "subnet":
                packet, page = artnet.address(1, **{binding.what: word}), 0
            case "universe":
                # An input and an output of one number have a universe each; meant is that of its present direction.
                wanted = {number: int(word)}
                turned = self._is_input(page, number)
                packet = artnet.address(
                    page + 1, inputs=wanted if turned else None, universes=None if turned else wanted
                )
            case "direction":
                packet = artnet.address(page + 1, command=artnet.DIRECTION[str(word)] + number)
            case "failure":
                packet, page = artnet.address(1, command=artnet.FAILURES[str(word)][0]), 0
            case "merge":
                base = artnet.MERGE_LTP if word == "ltp" else artnet.MERGE_HTP
                packet = artnet.address(page + 1, command=base + number)
            case "source":
                base = artnet.ACN_SEL if word == "sacn" else artnet.ARTNET_SEL
                packet = artnet.address(page + 1, command=base + number)
            case _:
                packet, page = artnet.address(1, command=INDICATORS[str(word)]), 0
        try:
            await self._poll(packet, frozenset({page + 1}))
        except NobodyThere as error:
            raise NoAnswer(error.message, "Read it again before anything else is written.") from error

    def _is_input(self, page: int, number: int) -> bool:
        ports = self._replies[page + 1].ports if page + 1 in self._replies else ()
        return number < len(ports) and ports[number].direction == "in"


def _is(data: bytes, code: int) -> bool:
    try:
        return artnet.opcode(data) == code
    except ProtocolError:
        return False
