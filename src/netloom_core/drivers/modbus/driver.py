"""Modbus: values in coils and registers, read in as few requests as can be."""

from __future__ import annotations

from collections.abc import Awaitable, Callable, Hashable, Sequence
from typing import Any, TypeVar

from netloom_core.drivers.bound import STARTUP, BoundDriver, Told, identity_from
from netloom_core.drivers.modbus.form import ModbusBinding, ModbusCall, ModbusChannel
from netloom_core.drivers.modbus.form import Told as Fact
from netloom_core.drivers.modbus.transport import Asks, Transport
from netloom_core.drivers.modbus.words import Span, joined, refused, span_of, told, value_of, words_of
from netloom_core.drivers.wire import Unreadable, as_number
from netloom_core.errors import Busy, NetloomError, NoAnswer, OutOfStep, ProtocolError, Refused
from netloom_core.model.device import Identity, Target
from netloom_core.profiles.profile import Bound, Profile
from netloom_core.protocols import modbus
from netloom_core.protocols.xml import clean

Result = TypeVar("Result")
ILLEGAL_FUNCTION, ILLEGAL_ADDRESS, BUSY = 1, 2, 6
MAX_PAGES = 8


class ModbusDriver(BoundDriver):
    def __init__(self, target: Target, profile: Profile, name: str, transport: Transport) -> None:
        super().__init__(target, profile, name)
        channel = profile.channels[name]
        assert isinstance(channel, ModbusChannel)
        self._channel = channel
        self._transport = transport
        self._gap = channel.gap  # until it shows that what lies between is not there

    @property
    def connection(self) -> Hashable | None:
        return self._transport.mark

    async def close(self) -> None:
        self._transport.drop()

    async def _talk(self, work: Callable[[Asks], Awaitable[Result]], *, proves: bool = False) -> Result:
        if not proves:
            self.need_proof()
        try:
            async with self._transport.turn(self._who, self._priority) as unit:
                return await work(unit)
        except BaseException as error:
            if not isinstance(error, NetloomError) or isinstance(error, NoAnswer | ProtocolError):
                self._transport.drop(asked=not isinstance(error, OutOfStep))
            raise

    async def identify(self) -> Identity:
        return await self._talk(self._identify, proves=True)

    async def _identify(self, unit: Asks) -> Identity:
        facts: dict[str, str] = {}
        if self._channel.names_itself:
            first = 0
            for _ in range(MAX_PAGES):
                answer = await unit.ask(modbus.identify(first))
                if answer.exception:
                    break
                facts |= modbus.identification(answer)
                first = modbus.follows(answer)
                if not first:
                    break
        facts = {**self._channel.constant, **facts}
        for name, place in self._channel.identity.items():
            span = Span(place.table, place.register_, place.length)
            answer = await unit.ask(modbus.read(span.function, span.first, span.count))
            if not answer.exception:
                facts[name] = _fact(place, modbus.words(answer, span.function, span.count))
        return identity_from(facts)

    # Reading

    def tells_startup(self, bound: Bound) -> bool:
        return bound.binding.startup is not None

    async def fetch(self, which: str, wanted: Sequence[Bound]) -> Told:
        return await self._talk(lambda unit: self._fetch(unit, which == STARTUP, wanted))

    async def _fetch(self, unit: Asks, startup: bool, wanted: Sequence[Bound]) -> Told:
        spans = {bound.item.path: span_of(bound.binding, startup=startup) for bound in wanted}
        read: dict[Span, bytes | int] = {}
        waiting = joined(spans.values(), self._channel, self._gap)
        while waiting:
            span = waiting.pop(0)
            answer = await self._read(unit, span)
            inside = {own for own in spans.values() if span.holds(own)}
            if not isinstance(answer, int) or inside == {span}:
                read[span] = answer
                continue
            # A place of it is not there, or the unit does not read so far: without the gaps, then each by itself.
            self._gap = 0
            parts = joined(inside, self._channel, 0)
            waiting[:0] = parts if parts != [span] else sorted(inside, key=lambda one: one.first)
        values: dict[str, Any] = {}
        for bound in wanted:
            own = spans[bound.item.path]
            span = own if own in read else next(one for one in read if one.holds(own))
            content = read[span]
            if isinstance(content, int):
                if content not in (ILLEGAL_ADDRESS, ILLEGAL_FUNCTION):
                    values[bound.item.path] = refused(content)
                continue
            width = 1 if own.bits else 2
            at = (own.first - span.first) * width
            try:
                raw = content[at : at + own.count * width]
                values[bound.item.path] = value_of(bound.item, bound.binding, self._channel, raw)
            except Unreadable as error:
                values[bound.item.path] = error
        return values

    async def _read(self, unit: Asks, span: Span) -> bytes | int:
        """The words, one byte for each bit, or the exception's number."""
        answer = await unit.ask(modbus.read(span.function, span.first, span.count))
        if answer.exception:
            return answer.exception
        if span.bits:
            return bytes(modbus.bits(answer, span.function, span.count))
        return modbus.words(answer, span.function, span.count)

    # Writing

    async def assign(self, values: Sequence[tuple[Bound, Any]]) -> None:
        await self._talk(lambda unit: self._assign(unit, values))

    async def _assign(self, unit: Asks, values: Sequence[tuple[Bound, Any]]) -> None:
        """In the order given; neighbours that follow one another go in one request."""
        run: list[tuple[int, bytes]] = []
        for bound, value in values:
            binding: ModbusBinding = bound.binding
            if binding.bits:
                await self._flush(unit, run)
                await self._write(
                    unit, modbus.write_coil(binding.register_, bool(as_number(bound.item, binding, value)))
                )
                continue
            if binding.kind == "bit":
                await self._flush(unit, run)
                await self._write_bit(unit, bound, value)
                continue
            words = words_of(bound.item, binding, self._channel, value)
            if run and (run[-1][0] + len(run[-1][1]) // 2 != binding.register_ or _long(run, words)):
                await self._flush(unit, run)
            run.append((binding.register_, words))
        await self._flush(unit, run)

    async def _write_bit(self, unit: Asks, bound: Bound, value: Any) -> None:
        """The other bits of the register stay as they are."""
        binding: ModbusBinding = bound.binding
        now = await self._read(unit, Span("holding", binding.register_, 1))
        if isinstance(now, int):
            raise Refused(f"{self.target.name}: {bound.item.label} cannot be read: {told(now)}.", outcome="not_sent")
        number = int.from_bytes(now, "big") & ~(1 << binding.bit)
        number |= int(bool(as_number(bound.item, binding, value))) << binding.bit
        await self._write(unit, modbus.write_register(binding.register_, number.to_bytes(2, "big")))

    async def _flush(self, unit: Asks, run: list[tuple[int, bytes]]) -> None:
        if not run:
            return
        first, data = run[0][0], b"".join(words for _, words in run)
        run.clear()
        if len(data) == 2:
            await self._write(unit, modbus.write_register(first, data))
        elif self._channel.single:
            for at in range(0, len(data), 2):
                await self._write(unit, modbus.write_register(first + at // 2, data[at : at + 2]))
        else:
            await self._write(unit, modbus.write_registers(first, data))

    async def _write(self, unit: Asks, pdu: bytes) -> None:
        self.acted = True
        answer = await unit.ask(pdu)
        if answer.exception == BUSY:
            raise Busy(f"{self.target.name} is busy.", "Try again in a moment.")
        if answer.exception:
            raise Refused(
                f"{self.target.name} refused register {int.from_bytes(pdu[1:3], 'big')}: {told(answer.exception)}.",
                "It was read back to see what it has now.",
            )
        modbus.confirmed(answer, pdu)

    async def perform(self, calls: Sequence[Any]) -> None:
        async def work(unit: Asks) -> None:
            for call in calls:
                assert isinstance(call, ModbusCall)
                if call.table == "coil":
                    await self._write(unit, modbus.write_coil(call.register_, bool(call.value)))
                else:
                    await self._write(unit, modbus.write_register(call.register_, call.value.to_bytes(2, "big")))

        await self._talk(work)

    def went(self) -> None:
        self._transport.drop()


def _long(run: list[tuple[int, bytes]], words: bytes) -> bool:
    return sum(len(one) for _, one in run) + len(words) > 2 * modbus.MAX_WRITTEN


def _fact(place: Fact, words: bytes) -> str:
    if place.kind == "text":
        return clean(words.decode("latin-1").replace("\x00", " "), 120)
    return words.hex() if place.kind == "hex" else str(int.from_bytes(words, "big"))
