"""Firmware into an OSDP unit that answers late, or never, and is left in the middle of a transfer by that."""

from __future__ import annotations

import asyncio
import itertools
from collections.abc import Awaitable, Callable, Iterable, Iterator

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from netloom_core.bus.owner import Owners
from netloom_core.bus.turns import Priority
from netloom_core.drivers.registry import Drivers
from netloom_core.errors import NetloomError
from netloom_core.library.load import Library
from netloom_core.live.session import Talk
from netloom_core.live.sessions import Sessions
from netloom_core.model.device import Target
from netloom_core.model.image import Image
from netloom_core.model.line import Line
from netloom_core.protocols.osdp import frames
from netloom_core.protocols.osdp.constants import REPLY_TIMEOUT_S, RETRIES, Cmd, Rep
from netloom_core.testing.far_end import FarEnd
from netloom_core.testing.virtual_time import VirtualClock, run
from netloom_standins.described.loading import made
from netloom_standins.osdp_line import OsdpUnit, told_of_file
from netloom_standins.site import BUS, single

IN_TIME, NEW, SIZE = 0.05, "2.4.0", 700
PATTERNS = st.lists(st.one_of(st.none(), st.floats(0.01, 0.9), st.floats(0.01, 24)), max_size=25)
# Answers that came in time to count, and were only taken when their time was over.
TAKEN_LATE = [None, None, 21.0, *[0.5] * 5, 10.0, 0.5, 21.0, 0.5, 0.5, *[None] * 4, 0.5, 10.0]
TRIES = 12  # each ends by silence at the latest; the longest of all delays is as long as four of them
Answer = Callable[[frames.Frame], bytes]


class Far:
    """The unit behind its port; what it is asked is in `codes`. `answers` stands in for some of its commands."""

    def __init__(self, library: Library, delays: Iterable[float | None], **answers: Answer) -> None:
        self.library = library
        self.unit: OsdpUnit = single(library, "dunmarrow-dr2", "00A41C55", "4", BUS)
        self.codes: list[int] = []
        self.begun = 0  # how often a file was begun there
        self._answers = {getattr(Cmd, name): answer for name, answer in answers.items()}
        self._receiver, self._delays = frames.Receiver(), itertools.chain(delays, itertools.repeat(IN_TIME))
        assert self.unit.description.firmware is not None
        self.data = made(self.unit.description.firmware, NEW, SIZE)
        self.size = len(self.data)

    def _reply(self, asked: bytes) -> tuple[bytes, bytes | None]:
        said = b""
        for frame in self._receiver.feed(asked):
            self.codes.append(frame.code)
            self.begun += frame.code == Cmd.FILETRANSFER and frame.data[5:9] == bytes(4)
            said += self._answers.get(frame.code, self.unit.answer)(frame)
        return b"", said or None

    def image(self) -> Image:
        read = lambda at, size: self.data[at : at + size]  # noqa: E731
        return Image("f", "file.dnm", self.size, "", "dunmarrow-dr2", NEW, read)

    def does(self, what: Callable[[Talk], Awaitable[None]]) -> None:
        async def work() -> None:
            line, owners = Line("bus", "Bus", "serial", path="made up", speed=9600, protocol="osdp"), Owners()
            owners.serial(line)._link = FarEnd(self._reply, self._delays, REPLY_TIMEOUT_S)
            sessions = Sessions(Drivers(self.library, owners), self.library.maker, VirtualClock())
            keys = (f"{self.unit.profile.maker.casefold()}|00a41c55",)
            target = Target("d", "Reader", "dunmarrow-dr2", line, "4", 9600, models=("DR2",), keys=keys)
            await what(await sessions.talk(target, "test", Priority.RUN))

        run(work())

    def loads(self, tries: int = 1) -> list[str]:
        """What came of each try; the last one is empty where it has the file."""
        heard: list[str] = []

        async def work(talk: Talk) -> None:
            for _ in range(tries):
                try:
                    await talk.load(self.image(), lambda sent: None)
                except NetloomError as error:
                    heard.append(f"{error.code}: {error.message}")
                    await asyncio.sleep(1)
                else:
                    heard.append("")
                    return

        self.does(work)
        return heard

    def refused(self, frame: frames.Frame) -> bytes:
        return self.unit._framed(frame, Rep.NAK, b"\x03")


def quiet_after(fragments: int) -> Iterator[float | None]:
    """Nothing comes back any more after so many of them, for as long as it is asked."""
    return itertools.chain(itertools.repeat(IN_TIME, 1 + fragments), itertools.repeat(None, 1 + RETRIES))


@settings(max_examples=60, deadline=None)
@given(first=PATTERNS)
@example(first=TAKEN_LATE)
def test_whatever_comes_late_it_takes_a_file_when_it_answers_again(library: Library, first: list[float | None]) -> None:
    far = Far(library, first)
    heard = far.loads(len(first) + TRIES)
    assert heard[-1] == "", heard
    assert far.unit.firmware == NEW
    assert all("answer" in one for one in heard[:-1]), heard


@pytest.mark.parametrize("fragments", [1, 4, 7])
def test_one_that_was_left_in_a_transfer_is_told_that_it_is_over(library: Library, fragments: int) -> None:
    far = Far(library, quiet_after(fragments))
    assert [bool(one) for one in far.loads(2)] == [True, False]
    assert far.codes.count(Cmd.ABORT) == 1
    assert far.unit.firmware == NEW


def test_one_that_knows_no_such_command_says_no(library: Library) -> None:
    far = Far(library, quiet_after(2), ABORT=lambda frame: far.refused(frame))
    silent, refused = far.loads(2)
    assert silent.startswith("no-answer")
    assert refused == f"refused: The unit does not take the file after 0 of {len(far.data)} bytes: " + (
        "it gives the transfer up."
    )


@pytest.mark.parametrize("after", [288, SIZE + 50])
def test_one_that_took_a_part_is_not_begun_again_unseen(library: Library, after: int) -> None:
    """It was switched off and on so quickly that no question was lost, once while it finishes with the whole file."""
    far = Far(library, [])

    def switched(frame: frames.Frame) -> bytes:
        if frame.data[5:9] == after.to_bytes(4, "little"):
            far.unit.forget_talk()
        return far.unit.answer(frame)

    far._answers[Cmd.FILETRANSFER] = switched
    assert far.loads() == [f"no-answer: Reader began its talk anew after {after} of {len(far.data)} bytes."]
    assert far.begun == 1


def test_a_transfer_that_we_end_is_ended_there(library: Library) -> None:
    """It says that it has all of the file in the middle of it, or the file has become shorter than it was."""
    far = Far(library, [])
    far._answers[Cmd.FILETRANSFER] = lambda frame: far.unit._framed(frame, Rep.FTSTAT, told_of_file(2))
    assert far.loads() == ["protocol: Reader says that it has the whole file after 96 bytes of it."]
    assert far.codes[-1] == Cmd.ABORT
    cut, whole = Far(library, []), far.data
    cut.data = whole[:200]
    cut.size = len(whole)
    assert "shorter than it was" in cut.loads()[0]
    assert cut.codes[-1] == Cmd.ABORT
