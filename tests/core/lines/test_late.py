"""A device that answers late, or never, on a line whose questions bear no numbers: nothing of it is another's value."""

from __future__ import annotations

import asyncio
import itertools
from collections.abc import Callable, Iterator
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from netloom_core.bus.late import LATE, Owed, surely
from netloom_core.bus.owner import Owners
from netloom_core.clock import SystemClock
from netloom_core.console.session import open_serial
from netloom_core.drivers.registry import OPENERS
from netloom_core.errors import NoAnswer, OutOfStep, PortMissing, ProtocolError, Refused
from netloom_core.library.load import Library
from netloom_core.model.device import Target
from netloom_core.model.line import Line
from netloom_core.profiles.profile import Profile
from netloom_core.protocols import modbus
from netloom_core.sweep.methods.dialogue import Dialogue
from netloom_core.sweep.sweep import sweep
from netloom_core.testing.far_end import Converted, FarEnd, Reply
from netloom_core.testing.virtual_time import run
from tests.core.drivers.made import profile

USUAL_S = 2.0  # longer than a line is ever kept only to hear somebody out
VALUES = {"a": 100, "b": 2000, "c": 4000}


def items(bind: Callable[[str], dict[str, Any]]) -> list[dict[str, Any]]:
    return [
        {"path": f"/{name}", "label": name, "type": {"is": "integer", "maximum": 9999}, "kept": "always",
         "bind": {"way": bind(name)}}
        for name in VALUES
    ]  # fmt: skip


REGISTERS = profile(
    {"protocol": "modbus", "over": ["serial"], "names_itself": False, "constant": {"serial": "S1"},
     "answer_seconds": USUAL_S},
    items(lambda name: {"register": VALUES[name]}),
)  # fmt: skip
LINES = profile(
    {"protocol": "dialogue", "over": "serial", "line_end": "\r\n", "answer_seconds": USUAL_S,
     "identify": [{"send": "who", "answer": "^= (?P<serial>\\w+)$"}]},
    items(lambda name: {"ask": name, "set": name + " {value}", "answer": "^= (?P<value>\\w+)$"}),
)  # fmt: skip
FRAMES = profile(
    {"protocol": "framed", "over": "serial", "answer_seconds": USUAL_S,
     "framing": {"start": "02", "end": "03", "check": {"kind": "xor"}, "stuffed": "0203", "by": "10"},
     "identify": [{"send": "77", "answer": "u16:serial"}]},
    items(lambda name: {"ask": f"{ord(name):02x}", "answer": "u16:value", "set": f"{ord(name):02x} u16:value"}),
)  # fmt: skip


def registers(asked: bytes) -> tuple[bytes, bytes | None]:
    """Each holds its own number."""
    if len(asked) < 8:
        return asked, None
    first, count = int.from_bytes(asked[2:4], "big"), int.from_bytes(asked[4:6], "big")
    words = b"".join((first + n).to_bytes(2, "big") for n in range(count))
    return asked[8:], modbus.rtu(asked[0], bytes((asked[1], len(words))) + words)


def lines(asked: bytes) -> tuple[bytes, bytes | None]:
    line, end, rest = asked.partition(b"\r\n")
    if not end:
        return asked, None
    return rest, b"= 1234\r\n" if line == b"who" else f"= {VALUES[line.decode()]}\r\n".encode()


def frames(asked: bytes) -> tuple[bytes, bytes | None]:
    start, end = asked.find(b"\x02"), asked.find(b"\x03")
    if start < 0 or end < 0:
        return asked, None
    word = 1234 if asked[start + 1] == 0x77 else VALUES[chr(asked[start + 1])]
    framing = FRAMES.channels["way"].framing
    return asked[end + 1 :], framing.encoded(word.to_bytes(2, "big"))


def by_tcp(made: Profile) -> Profile:
    """The same by a converter to a serial line."""
    channel = made.channels["way"]
    return made.model_copy(update={"channels": {"way": channel.model_copy(update={"over": "tcp", "port": 4001})}})


WAYS: dict[str, tuple[Profile, Reply, str]] = {
    "modbus": (REGISTERS, registers, "7"),
    "dialogue": (LINES, lines, "-"),
    "framed": (FRAMES, frames, "-"),
    "dialogue by tcp": (by_tcp(LINES), lines, "127.20.10.9"),
    "framed by tcp": (by_tcp(FRAMES), frames, "127.20.10.9"),
}


def far(protocol: str, reply: Reply, delays: Iterator[float | None]) -> Any:
    """A driver that takes whoever answers for proven."""
    made, _, address = WAYS[protocol]
    protocol, _, over = protocol.partition(" by ")
    line, owners = Line("bus", "Bus", "serial", path="made up", speed=9600, protocol=protocol), Owners()
    there = FarEnd(reply, delays, USUAL_S)
    if not over:
        owners.serial(line)._link = there
    driver: Any = OPENERS[protocol](Target("d", "Peer", made.id, line, address, 9600), made, "way", owners)
    if over:
        driver._carrier._connect = Converted(there).connect
    driver.need_proof = lambda: None
    driver.there = there
    return driver


async def told(protocol: str, delays: Iterator[float | None], times: int) -> list[Any]:
    """What it is said to be and to have, and the errors."""
    driver = far(protocol, WAYS[protocol][1], delays)
    heard: list[Any] = []
    for _ in range(times):
        for ask in (driver.identify, lambda: driver.read("running")):
            try:
                heard.append(await ask())
            except (NoAnswer, ProtocolError, Refused) as error:
                heard.append(error)
    return heard


def of_others(heard: list[Any]) -> list[Any]:
    """What was believed and is another question's."""
    values = [one for one in heard if isinstance(one, dict)]
    names = [one.serial for one in heard if not isinstance(one, dict | Exception)]
    return [
        *(value for value in values if not value.items() <= VALUES.items()),
        *(name for name in names if name not in ("1234", "S1")),
    ]


@pytest.mark.parametrize("protocol", WAYS)
@pytest.mark.parametrize("delay", [0.02, 0.5])
def test_who_answers_in_time_is_asked_once(protocol: str, delay: float) -> None:
    asked = 0

    def delays() -> Iterator[float]:
        nonlocal asked
        while True:
            asked += 1
            yield delay

    heard = run(told(protocol, delays(), 2))
    assert heard[1] == heard[3] == VALUES
    assert asked == 2 * (3 + (protocol != "modbus"))


@pytest.mark.parametrize("protocol", WAYS)
@settings(max_examples=150, deadline=None)
@given(st.lists(st.one_of(st.none(), st.floats(0.01, 0.9), st.floats(0.01, LATE)), min_size=1, max_size=12))
def test_no_value_is_ever_another_ones(protocol: str, first: list[float | None]) -> None:
    """It is late for a while, by any pattern, and in time again afterwards; some questions it loses."""

    def delays() -> Iterator[float | None]:
        yield from first
        while True:
            yield 0.05

    heard = run(told(protocol, delays(), 20))
    assert of_others(heard) == [], heard
    assert heard[-1] == VALUES, "it is in step again"


@pytest.mark.parametrize("protocol", WAYS)
@pytest.mark.parametrize("delay", [1.5, 2.2, 2.6, 3.05, 3.2, 3.6, 4.4])
def test_one_that_is_always_late_is_silent_or_right(protocol: str, delay: float) -> None:
    def delays() -> Iterator[float]:
        while True:
            yield delay

    assert of_others(run(told(protocol, delays(), 10))) == []


def test_a_sweep_takes_no_late_value_for_a_name() -> None:
    """A reading was given up, and somebody sweeps the line before the answer came."""

    async def named() -> set[str]:
        line, delays = Line("bus", "Bus", "serial", path="made up", speed=9600, protocol="framed"), iter([1.8])
        owners = Owners()
        owners.serial(line)._link = FarEnd(frames, itertools.chain(delays, itertools.repeat(0.05)), USUAL_S)
        driver: Any = OPENERS["framed"](Target("d", "Peer", FRAMES.id, line, "-", 9600), FRAMES, "way", owners)
        driver.need_proof = lambda: None
        with pytest.raises(NoAnswer):
            await driver.read("running")
        swept = await sweep([line], [], Library([FRAMES]), owners, SystemClock(), methods=[Dialogue()])
        return {one.identity.serial for one in swept.findings}

    assert run(named()) == {"1234"}


@pytest.mark.parametrize("protocol", WAYS)
@pytest.mark.parametrize("delay", [0.02, 0.6, 0.9])
def test_after_an_outage_it_is_soon_asked_once_again(protocol: str, delay: float) -> None:
    """However slow it is within its usual time: else a long reading would never come to an end."""
    asked = 0

    def delays() -> Iterator[float | None]:
        nonlocal asked
        yield from [None] * 8
        while True:
            asked += 1
            yield delay

    async def read() -> tuple[list[Any], int]:
        driver = far(protocol, WAYS[protocol][1], delays())
        heard: list[Any] = []
        until = 30 * USUAL_S
        while asyncio.get_running_loop().time() < until:
            try:
                heard.append(await driver.read("running"))
            except NoAnswer as error:
                heard.append(error)
        before = asked
        heard.append(await driver.read("running"))
        return heard, asked - before

    heard, last = run(read())
    assert of_others(heard) == []
    assert last == len(VALUES)


@pytest.mark.parametrize("protocol", WAYS)
def test_a_value_that_changes_all_the_time_is_read_again_soon(protocol: str, monkeypatch: pytest.MonkeyPatch) -> None:
    """Right after a question that was lost it could be another one's; it is not doubted for longer than that."""
    count = 0

    def counted(asked: bytes) -> tuple[bytes, bytes | None]:
        nonlocal count
        count += 1
        monkeypatch.setitem(VALUES, "c", 4000 + (count if protocol != "modbus" else 0))
        rest, said = WAYS[protocol][1](asked)
        if protocol == "modbus" and said is not None and said[3:5] == (4000).to_bytes(2, "big"):
            said = modbus.rtu(7, said[1:3] + (4000 + count).to_bytes(2, "big"))
        return rest, said

    async def asked() -> list[Any]:
        delays = iter([None, None, None, *(0.05 for _ in range(5000))])
        driver, heard = far(protocol, counted, delays), []
        for _ in range(30):
            try:
                heard.append(await driver.read("running"))
            except (NoAnswer, ProtocolError) as error:
                heard.append(error)
            await asyncio.sleep(0.5)
        return heard

    heard = run(asked())
    assert isinstance(heard[0], NoAnswer)
    assert [one for one in heard[-10:] if not isinstance(one, dict)] == []


def owing(count: int) -> Owed:
    owed = Owed()
    for _ in range(count):
        owed.left_waiting(USUAL_S)
    return owed


async def nothing(seconds: float) -> bytes:
    await asyncio.sleep(seconds)
    return b""


def test_a_refusal_is_an_answer_too() -> None:
    said: Iterator[Any] = iter([1, *(Refused("No.") for _ in range(3)), 2])

    async def ask() -> int:
        if isinstance(answer := next(said), Refused):
            raise answer
        return int(answer)

    async def asked() -> None:
        with pytest.raises(Refused):
            await surely(ask, owing(2), nothing)

    run(asked())
    assert list(said) == [2]


def test_what_never_settles_is_not_believed() -> None:
    said = iter(range(100))

    async def ask() -> int:
        return next(said)

    async def asked() -> None:
        with pytest.raises(OutOfStep):
            await surely(ask, owing(2), nothing)
        before = next(said)
        assert await surely(ask, Owed(), nothing) == before + 1

    run(asked())


@pytest.mark.parametrize("protocol", WAYS)
@pytest.mark.parametrize("late", [1.2, 1.7, 2.4])
def test_the_same_again_and_again_hides_no_answer_on_its_way(protocol: str, late: float) -> None:
    """One answer came late and was like those that followed, so that each was taken for the one after it."""

    async def asked() -> list[Any]:
        driver = far(protocol, WAYS[protocol][1], itertools.chain([late], itertools.repeat(0.05)))
        wanted = {bound.item.path.strip("/"): bound for bound in driver.profile.bound("way")}
        heard: list[Any] = []
        until = 12 * USUAL_S
        while asyncio.get_running_loop().time() < until:
            try:
                heard.append(await driver.fetch("running", [wanted["a"]]))
            except NoAnswer as error:
                heard.append(error)
        for name in ("c", "a", "b"):
            heard.append(await driver.fetch("running", [wanted[name]]))
        return heard

    heard = run(asked())
    assert [one for one in heard[:-3] if not isinstance(one, NoAnswer) and one != {"/a": 100}] == []
    assert heard[-3:] == [{"/c": 4000}, {"/a": 100}, {"/b": 2000}]


@pytest.mark.parametrize("protocol", ["modbus", "dialogue", "framed"])
def test_a_port_that_is_open_again_gives_no_answer_to_what_was_asked_before(
    protocol: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    """As with a device server whose connection broke off: the device knows nothing of that, and answers."""

    async def asked() -> list[Any]:
        driver = far(protocol, WAYS[protocol][1], itertools.chain([0.3], itertools.repeat(0.05)))

        async def again(*_: object) -> FarEnd:
            driver.there.broken = False
            return driver.there  # type: ignore[no-any-return]

        async def at_once(work: Callable[..., Any], *given: Any) -> Any:
            return work(*given)

        monkeypatch.setattr("netloom_core.bus.owner.open_port", again)
        monkeypatch.setattr("asyncio.to_thread", at_once)
        wanted = {bound.item.path.strip("/"): bound for bound in driver.profile.bound("way")}
        driver.there.breaks = True
        with pytest.raises(PortMissing):
            await driver.fetch("running", [wanted["a"]])
        return [await driver.fetch("running", [wanted[name]]) for name in ("b", "c", "a")]

    assert run(asked()) == [{"/b": 2000}, {"/c": 4000}, {"/a": 100}]


@pytest.mark.parametrize("protocol", ["dialogue", "framed"])
def test_what_was_typed_last_in_a_console_is_answered_to_nobody_else(protocol: str) -> None:
    async def asked() -> list[Any]:
        driver = far(protocol, WAYS[protocol][1], itertools.chain([0.4], itertools.repeat(0.05)))
        typed = b"a\r\n" if protocol == "dialogue" else FRAMES.channels["way"].framing.encoded(b"a")
        async with open_serial(driver._carrier._owner, "somebody", 9600, "8N1", "none") as console:
            await console.write(typed)
        wanted = {bound.item.path.strip("/"): bound for bound in driver.profile.bound("way")}
        return [await driver.fetch("running", [wanted[name]]) for name in ("b", "c")]

    assert run(asked()) == [{"/b": 2000}, {"/c": 4000}]
