"""Units behind a lighting node by RDM: read and set one parameter at a time.

What a unit is set to by RDM it keeps (E1.20 leaves it to the unit; a profile says where it is otherwise).
"""

from __future__ import annotations

from collections.abc import AsyncIterator, Hashable, Sequence
from contextlib import asynccontextmanager
from typing import Any

from netloom_core.drivers.bound import BoundDriver, Told, identity_from
from netloom_core.drivers.carrier import TOLD_S, Presence
from netloom_core.drivers.rdm.form import RdmBinding, RdmCall, RdmChannel
from netloom_core.drivers.rdm.talk import Node
from netloom_core.drivers.wire import Unreadable, as_number, as_text, canonical, from_number, from_text
from netloom_core.errors import Absent, NoAnswer, NobodyThere, ProtocolError, Refused
from netloom_core.links.shared_udp import SharedPort
from netloom_core.model.device import Identity, Target
from netloom_core.model.line import UNIT_MARK
from netloom_core.profiles.profile import Bound, Profile
from netloom_core.protocols import rdm


class RdmDriver(BoundDriver):
    def __init__(self, target: Target, profile: Profile, name: str, port: SharedPort) -> None:
        super().__init__(target, profile, name)
        channel = profile.channels[name]
        assert isinstance(channel, RdmChannel)
        host, _, unit = target.address.partition(UNIT_MARK)
        self._uid = rdm.uid_of(unit)
        self._node = Node(port, host, channel.answer_seconds)
        self._presence = Presence(TOLD_S)

    @property
    def connection(self) -> Hashable | None:
        return self._presence.mark

    @asynccontextmanager
    async def _talk(self) -> AsyncIterator[Node]:
        try:
            async with self._node.open():
                yield self._node
        except (NoAnswer, NobodyThere):
            self._presence.lose()
            self._node.places.clear()
            raise
        self._presence.heard()

    async def identify(self) -> Identity:
        """Its UID is who it is: what answers to it is that unit, and its labels say what it is."""
        async with self._talk() as node:
            if self._uid not in node.places:
                await node.find(self._uid)
            self._presence.lose()  # whoever it is now has to be judged anew
            info = rdm.device_info(await node.get(self._uid, rdm.DEVICE_INFO))
            facts = await facts_of(node, self._uid, info)
        return identity_from(facts)

    async def fetch(self, which: str, wanted: Sequence[Bound]) -> Told:
        """Each question once, however many items are in its answer."""
        self.need_proof()
        told: dict[str, Any] = {}
        answers: dict[tuple[int, str], bytes | Unreadable | None] = {}
        async with self._talk() as node:
            for bound in wanted:
                binding: RdmBinding = bound.binding
                question = binding.parameter, binding.ask
                if question not in answers:
                    answers[question] = await self._answer(node, binding)
                data = answers[question]
                if data is None:
                    continue
                try:
                    told[bound.item.path] = data if isinstance(data, Unreadable) else value_in(bound, data)
                except Unreadable as error:
                    told[bound.item.path] = error
        return told

    async def _answer(self, node: Node, binding: RdmBinding) -> bytes | Unreadable | None:
        try:
            return await node.get(self._uid, binding.parameter, bytes.fromhex(binding.ask))
        except Absent:
            return None
        except Refused as error:
            return Unreadable(error.message)

    async def assign(self, values: Sequence[tuple[Bound, Any]]) -> None:
        self.need_proof()
        said = [(bound.binding.parameter, data_of(bound, value)) for bound, value in values]
        async with self._talk() as node:
            for parameter, data in said:
                await node.set(self._uid, parameter, data)
                self.acted = True

    async def perform(self, calls: Sequence[Any]) -> None:
        self.need_proof()
        async with self._talk() as node:
            for call in calls:
                if not isinstance(call, RdmCall):
                    raise ProtocolError("That is no call of RDM.", outcome="not_sent")
                await node.set(self._uid, call.parameter, bytes.fromhex(call.data))
                self.acted = True

    def went(self) -> None:
        self._presence.lose()


async def facts_of(node: Node, uid: bytes, info: rdm.DeviceInfo) -> dict[str, str]:
    """What a unit tells of itself; labels that it does not have are left out."""
    facts = {
        "rdm_uid": rdm.uid_text(uid),
        "esta": uid[:2].hex().upper(),
        "rdm_model": f"{info.model:04X}",
        "category": info.category,
        "footprint": str(info.footprint),
        "dmx": str(info.start) if info.start else "",
        "firmware": f"{info.software:08X}",
    }
    labels = (("maker", rdm.MAKER), ("model", rdm.MODEL), ("firmware", rdm.SOFTWARE), ("title", rdm.LABEL))
    for fact, parameter in labels:
        try:
            facts[fact] = rdm.text(await node.get(uid, parameter)) or facts.get(fact, "")
        except Refused:
            continue
    return facts


def value_in(bound: Bound, data: bytes) -> Any:
    """Raises Unreadable where the answer is shorter than the profile says, or no value of the item's type."""
    binding: RdmBinding = bound.binding
    if binding.kind == "text":
        return from_text(bound.item, binding, rdm.text(data[binding.offset :]))
    if binding.kind == "bytes":
        return canonical(bound.item, data[binding.offset :].hex())
    part = data[binding.offset : binding.offset + binding.size]
    if len(part) < binding.size:
        raise Unreadable(f"its answer has {len(data)} bytes, {binding.offset + binding.size} are wanted")
    return from_number(bound.item, binding, int.from_bytes(part, "big", signed=binding.kind == "signed"))


def data_of(bound: Bound, value: Any) -> bytes:
    """Raises ProtocolError for what does not fit; nothing was sent then."""
    binding: RdmBinding = bound.binding
    before = bytes.fromhex(binding.before or binding.ask)
    if binding.kind == "text":
        return before + as_text(bound.item, binding, value).encode()
    if binding.kind == "bytes":
        return before + bytes.fromhex(str(value))
    number = round(as_number(bound.item, binding, value))
    try:
        return before + number.to_bytes(binding.size, "big", signed=binding.kind == "signed")
    except OverflowError:
        raise ProtocolError(
            f"{bound.item.path}: {value} does not fit {binding.size} bytes.", outcome="not_sent"
        ) from None
