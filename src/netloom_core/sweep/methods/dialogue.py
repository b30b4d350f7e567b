"""Devices with a text dialogue at the end of a serial line: at which speed, and who they are.

Each way that profiles know is tried: enter, look for the greeting, ask, leave as found.
What answers with bytes that make no sense is told with the speed, and so is a login
prompt that nobody's profile knows. Nothing that sets anything is sent.
"""

from __future__ import annotations

import asyncio
import re

from netloom_core.bus.owner import ALONE, SerialOwner
from netloom_core.bus.timing import line_time
from netloom_core.drivers.carrier import SerialPort
from netloom_core.drivers.dialogue.flow import NO_TEXT, Answer, Heard, Missing, without_crackle
from netloom_core.drivers.dialogue.form import DialogueChannel
from netloom_core.drivers.dialogue.talk import Conversation, facts_of
from netloom_core.drivers.framed.driver import Talk as FramedTalk
from netloom_core.drivers.framed.form import FramedChannel
from netloom_core.errors import DeviceError, NoAnswer, ProtocolError
from netloom_core.library.load import Library
from netloom_core.links.serial import ByteLink
from netloom_core.model.line import DIRECT, Line
from netloom_core.patience import Patience, heard
from netloom_core.protocols.xml import clean
from netloom_core.sweep.base import Look, Method

ANSWER_S = 0.7
QUIET_S = 0.12
TRY_S = 5.0  # at most for one question and its answer, with the silence around it
MAX_ANSWER = 4096
USUAL_SPEEDS = (9600, 115200, 19200, 38400, 57600)
PROMPT = re.compile(r"(login|user ?name|password|[>#$])\s*:?\s*$", re.IGNORECASE)
READABLE = 0.85  # share of printable characters from which on it is text


class Noting(SerialPort):
    """A port that remembers what came: it may be for somebody else."""

    def __init__(self, link: ByteLink, owner: SerialOwner) -> None:
        super().__init__(link, owner)
        self.heard = bytearray()

    async def read(self, seconds: float) -> bytes:
        data = await super().read(seconds)
        self.heard = (self.heard + data)[-MAX_ANSWER:]
        return data


class Dialogue(Method):
    name = "dialogue"
    title = "Dialogues, speed and parity"
    needs = "The line's turn."
    sends = "The greeting of each profile at its speeds, its questions, and its way out; else an empty line."
    kinds = ("serial",)

    def budget(self, look: Look) -> float:
        slow = sum(way.answer_seconds * len(way.speeds) for way in look.ways_on_record("dialogue"))
        return 30.0 + slow + sum(TRY_S * (2 + len(way.identify) if way else 1) for _, _, way in _tries(look))

    def fits(self, line: Line, library: Library) -> bool:
        return line.kind == "serial" and line.protocol not in ("osdp", "modbus")

    async def run(self, look: Look) -> None:
        tries = list(_tries(look))
        garbled = ""
        owner = look.owners.serial(look.line)
        async with owner.turn("sweep") as link:
            await owner.hear_out(ALONE, link)
            for count, (speed, parity, way) in enumerate(tries, 1):
                await link.set_line(speed, parity)
                if isinstance(way, FramedChannel):
                    facts = await self._asked_in_frames(look, Noting(link, owner), way)
                else:
                    facts = await self._try(look, link, way, owner)
                look.progress(count, len(tries))
                if facts.pop("noise", ""):
                    garbled = garbled or str(speed)
                elif facts:
                    look.sight(DIRECT, self.name, **facts, speed=str(speed), parity=parity, garbled_at=garbled)
                    look.progress(len(tries), len(tries))
                    return
            owner.owed(ALONE).left_waiting(ANSWER_S)  # the last of these may still be answered, to whoever asks next
            if garbled:
                look.sight(DIRECT, self.name, noise="yes", speed=garbled)

    async def _try(self, look: Look, link: ByteLink, way: DialogueChannel | None, owner: SerialOwner) -> dict[str, str]:
        await look.pace.take()
        words, guard, seconds = "\r", 0.0, ANSWER_S
        if way is not None:
            words, guard = way.enter or way.wake, way.guard_seconds
            if way in look.ways_on_record("dialogue"):
                seconds = max(seconds, way.answer_seconds)
        came = await converse(link, words, guard, seconds)
        if not came:
            return {}
        whole = came.decode("utf-8", "replace")
        text = without_crackle(whole)
        expected = way is not None and re.search(way.greeting, text) is not None
        if readable(text if expected else whole) < READABLE:
            return {"noise": "yes"}
        if begun := starting(look.library, text):
            return begun
        if expected and way is not None:
            return {"banner": clean(text, 120), **await self._identify(look, SerialPort(link, owner), way)}
        if way is None and PROMPT.search(text.rstrip(" ")):
            return {"banner": clean(text, 120), "prompt": "yes"}
        return {"banner": clean(text, 120)} if way is None else {}

    async def _asked_in_frames(self, look: Look, port: Noting, way: FramedChannel) -> dict[str, str]:
        """What a unit tells in frames; nothing where none comes back, since noise is for the other questions."""
        port.take()
        talk = FramedTalk(way, port, "It")
        facts: dict[str, str] = {}
        try:
            for query in way.identify:
                await look.pace.take()
                for name, value in (await talk.question(query.send, query.answer, {})).items():
                    facts[name] = clean(value.hex() if isinstance(value, bytes) else str(value), 120)
        except (DeviceError, NoAnswer, ProtocolError):
            pass  # what it told before stays
        came = (bytes(port.heard) + port.take()).decode("utf-8", "replace")
        return {**way.constant, **facts} if facts else starting(look.library, came)

    async def _identify(self, look: Look, port: SerialPort, way: DialogueChannel) -> dict[str, str]:
        """What its answers tell; left as it was found, whatever comes."""
        talk = Conversation(way, port, Heard(way), "It")
        facts: dict[str, str] = dict(way.constant)
        try:
            if way.prompt and way.enter:
                await talk.ready()
            for ask in way.identify:
                await look.pace.take()
                answer = await talk.question(ask.send, Answer(sent=ask.send, wanted=ask.answer))
                if not isinstance(answer, Missing):
                    facts |= {name: clean(value, 120) for name, value in facts_of(answer, ask.answer).items()}
        except (DeviceError, NoAnswer, ProtocolError):
            pass  # what it told before stays
        finally:
            await talk.leave()
        return facts


def starting(library: Library, text: str) -> dict[str, str]:
    """What a device tells while it starts, by the lines that its profile knows: that is evidence, too."""
    facts: dict[str, str] = {}
    for profile in library:
        for way in profile.of_protocol("dialogue"):
            for known in way.starts_up:
                for line in text.splitlines():
                    if found := re.search(known.line, line.strip()):
                        facts |= {name: clean(value, 120) for name, value in found.groupdict().items() if value}
                        facts |= {"maker": profile.maker, "model": profile.model, "started": known.means}
    return facts


Way = DialogueChannel | FramedChannel


def _tries(look: Look) -> list[tuple[int, str, Way | None]]:
    """(speed, parity, way) in the order of likelihood, each once; last an empty line at usual speeds."""
    ways: list[Way] = [
        way
        for p in look.library
        for way in (*p.of_protocol("dialogue"), *p.of_protocol("framed"))
        if way.over == "serial" and _asks(way)
    ]
    first = [(speed or look.line.speed) for _, speed in look.expected]
    found: list[tuple[int, str, Way | None]] = []
    for speed in dict.fromkeys([*first, look.line.speed, *(s for way in ways for s in way.speeds)]):
        found += [(speed, way.parity, way) for way in ways if speed in way.speeds or speed == look.line.speed]
    found += [(speed, "N", None) for speed in dict.fromkeys([look.line.speed, *USUAL_SPEEDS])]
    return list({(s, p, w.model_dump_json() if w else ""): (s, p, w) for s, p, w in found}.values())


def _asks(way: Way) -> bool:
    """Whether it is known who is there without a sign-in."""
    return bool(way.identify) if isinstance(way, FramedChannel) else bool(way.greeting) and not way.sign_in


def readable(text: str) -> float:
    """Share of characters that a text is made of. Letters beyond ASCII say nothing: noise has them, too."""
    good = bad = 0
    for one in text:
        if " " <= one <= "~" or one in "\b\t\n\r\x1b":
            good += 1
        elif one == NO_TEXT or not one.isprintable():
            bad += 1
    return good / (good + bad) if good else 0.0


async def converse(link: ByteLink, words: str, guard: float = 0, seconds: float = ANSWER_S) -> bytes:
    """What comes back for these words within so many seconds, until it is quiet; with silence around them where that
    is wanted."""
    if guard:
        await asyncio.sleep(guard)
    link.take()
    link.write(words.encode())
    await asyncio.sleep(line_time(len(words), link.speed) + guard)
    came = await heard(link.read, Patience(seconds))
    while came and len(came) < MAX_ANSWER and (more := await heard(link.read, Patience(QUIET_S))):
        came += more
    return came
