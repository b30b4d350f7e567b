"""A binary protocol in frames as a description tells it, on a serial line or TCP. Its own framing and its own checks.

Messages are told by patterns of their hexadecimal digits; answers are made of digits, groups, and values in a form.
"""

from __future__ import annotations

import binascii
import re
import struct
import zlib
from collections.abc import Callable
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict

from netloom_standins.described.loading import Part
from netloom_standins.described.memory import Wrong
from netloom_standins.described.unit import DescribedUnit

_NUMBERS = {"u8": ">B", "s8": ">b", "u16": ">H", "s16": ">h", "u32": ">I", "f32": ">f"}
_INDEX = re.compile(r"\{(\d)([+-]\d+)?\}")


class Message(BaseModel):
    """`say` is a pattern of hexadecimal digits. `set` has values as `FORM:GROUP`; `{1+1}` in a path is a group's
    number.
    """

    model_config = ConfigDict(extra="forbid")

    say: str
    set: dict[str, str] = {}
    reply: str = ""
    does: str = ""
    level: int = 0


class BinaryForm(BaseModel):
    model_config = ConfigDict(extra="forbid")

    face: str
    port: int = 0
    start: str = ""
    end: str = ""
    length: Literal["none", "body", "frame"] = "none"
    check: Literal["none", "sum", "xor", "crc-ccitt"] = "none"
    escape: str = ""
    escaped: str = ""
    times: dict[str, float] = {}
    words: dict[str, dict[str, int]] = {}
    codes: dict[str, int] = {}  # where access codes are, and the level that each opens
    strict_at: str = ""  # while that is true, it does nothing before all codes are others than its factory's
    refused: dict[str, str] = {}
    messages: list[Message]


class BinaryTalk:
    """One session."""

    def __init__(self, unit: DescribedUnit, form: BinaryForm, send: Callable[[bytes], None]) -> None:
        self.unit, self.form, self._send = unit, form, send
        self._heard = b""
        self._level = 0
        unit.talks.append(self)

    def close(self) -> None:
        if self in self.unit.talks:
            self.unit.talks.remove(self)

    def started(self) -> None:
        """The unit came up: nobody is signed in."""
        self._heard, self._level = b"", 0

    def tell(self, path: str, value: Any) -> None:
        """It tells nothing by itself."""

    def began(self) -> None:
        """It greets nobody."""

    def feed(self, data: bytes) -> None:
        if self.unit.faults.silent or not self.unit.up:
            return
        self._heard += data
        while (frame := self._cut()) is not None:
            if frame:
                self._whole(frame)

    # Frames

    def _cut(self) -> bytes | None:
        """The body of the next frame; empty where it was spoiled, None where none is whole."""
        start, end = bytes.fromhex(self.form.start), bytes.fromhex(self.form.end)
        at = self._heard.find(start)
        if at < 0 or not self._heard:
            self._heard = self._heard[-1:] if start and self._heard[-1:] == start[:1] else b""
            return None
        self._heard = self._heard[at:]
        if end:
            stop = self._heard.find(end, len(start))
            if stop < 0:
                return None
            raw, self._heard = self._heard[len(start) : stop], self._heard[stop + len(end) :]
        else:
            if len(self._heard) <= len(start):
                return None
            count = self._heard[len(start)]
            size = count if self.form.length == "frame" else len(start) + 1 + count + self._check_size
            if len(self._heard) < size:
                return None
            raw, self._heard = self._heard[len(start) : size], self._heard[size:]
        if self.form.escape:
            mark = bytes.fromhex(self.form.escape)[0]
            out, turn = bytearray(), False
            for byte in raw:
                if byte == mark and not turn:
                    turn = True
                    continue
                out.append(byte ^ 0x20 if turn else byte)
                turn = False
            raw = bytes(out)
        if self._check_size:
            raw, check = raw[: -self._check_size], raw[-self._check_size :]
            if self._check(raw) != check:
                return b""
        return raw[1:] if self.form.length != "none" else raw

    @property
    def _check_size(self) -> int:
        return {"none": 0, "sum": 1, "xor": 1, "crc-ccitt": 2}[self.form.check]

    def _check(self, data: bytes) -> bytes:
        if self.form.check == "sum":
            return bytes((sum(data) % 256,))
        if self.form.check == "xor":
            value = 0
            for byte in data:
                value ^= byte
            return bytes((value,))
        return struct.pack(">H", binascii.crc_hqx(data, 0xFFFF))

    def _framed(self, body: bytes) -> bytes:
        start, end = bytes.fromhex(self.form.start), bytes.fromhex(self.form.end)
        inner = body
        if self.form.length == "body":
            inner = bytes((len(body),)) + body
        elif self.form.length == "frame":
            inner = bytes((len(start) + 1 + len(body) + self._check_size + len(end),)) + body
        if self._check_size:
            inner += self._check(inner)
        if self.form.escape:
            mark, special = bytes.fromhex(self.form.escape), bytes.fromhex(self.form.escaped + self.form.escape)
            inner = b"".join(mark + bytes((b ^ 0x20,)) if b in special else bytes((b,)) for b in inner)
        return start + inner + end

    # Messages

    def _whole(self, body: bytes) -> None:
        digits = body.hex()
        for message in self.form.messages:
            found = re.fullmatch(message.say, digits)
            if found is None:
                continue
            groups = found.groups()
            try:
                answer = self._carried_out(message, groups)
            except (Wrong, struct.error, ValueError) as error:
                answer = self.form.refused.get(str(error), self.form.refused.get("range", ""))
            if answer and not self.unit.faults.silent:
                self._send(self._framed(bytes.fromhex(answer)))
            return
        if unknown := self.form.refused.get("unknown"):
            self._send(self._framed(bytes.fromhex(unknown)))

    def _carried_out(self, message: Message, groups: tuple[str, ...]) -> str:
        if message.does.startswith("enter "):
            code = bytes.fromhex(groups[0]).rstrip(b"\0").decode()
            levels = [level for path, level in self.form.codes.items() if self.unit.memory.value(path) == code]
            if not levels:
                raise Wrong("code")
            self._level = max(levels)
        elif message.level and not self.form.codes.keys() & message.set.keys() and self._codes_are_missing():
            raise Wrong("first")
        if message.level > self._level:
            raise Wrong("level")
        for path, said in message.set.items():
            place = self._path(path, groups)
            if self.unit.pulled():
                return ""
            self.unit.written(place, self._heard_value(place, self._path(said, groups, plain=True)))
        if message.does.startswith("firmware "):
            self._firmware(message.does.removeprefix("firmware "), groups)
        answer = "".join(self._said(part, groups) for part in message.reply.split())
        if not message.does.startswith("enter "):
            self.unit.do(message.does)
        return answer

    def _firmware(self, what: str, groups: tuple[str, ...]) -> None:
        """A file in blocks: what came of it stays through a power cut, so that the rest may follow. Raises Wrong."""
        loading = self.unit.loading
        assert loading is not None
        if what == "begin":
            if why := loading.began():
                raise Wrong("busy" if why != "locked" else "refused")
            loading.part = Part(int(groups[0], 16), int(groups[1], 16))
        elif what == "block":
            offset, count = int(groups[0], 16), int(groups[1], 16)
            part, data = loading.part, bytes.fromhex(groups[2])[:count]
            if part is None or offset > len(part.data) or len(data) != count or offset + count > part.size:
                raise Wrong("range")
            part.data[offset : offset + count] = data  # the same one again is no trouble
            if not loading.came(len(part.data) / part.size):
                raise Wrong("gone")
        elif what == "end":
            part, loading.part = loading.part, None
            if part is None or len(part.data) != part.size or zlib.crc32(part.data) != part.crc:
                loading.gave_up()
                raise Wrong("damaged")
            if why := loading.whole(bytes(part.data)):
                raise Wrong("damaged" if "damaged" in why else "file")

    def _codes_are_missing(self) -> bool:
        memory, strict = self.unit.memory, self.form.strict_at
        if not strict or not memory.value(strict):
            return False
        return any(memory.value(path) == memory.cells[path].first() for path in self.form.codes)

    @staticmethod
    def _path(text: str, groups: tuple[str, ...], *, plain: bool = False) -> str:
        def put(found: re.Match[str]) -> str:
            group = groups[int(found[1]) - 1]
            return group if plain else str(int(group, 16) + int(found[2] or 0))

        return _INDEX.sub(put, text)

    def _heard_value(self, path: str, said: str) -> Any:
        form, _, digits = said.partition(":")
        data = bytes.fromhex(digits)
        if form == "text":
            return data.split(b"\0")[0].decode("utf-8", "replace")
        if form == "bytes":
            return data.hex()
        if form == "points":
            pairs = struct.iter_unpack(">hh", data)
            return [[x / self._times(path + "#x"), y / self._times(path)] for x, y in pairs]
        (number,) = struct.unpack(_NUMBERS[form], data)
        for word, value in self._words(path).items():
            if value == number:
                return word
        value = number / self._times(path)
        return int(value) if float(value).is_integer() else round(value, 6)

    def _said(self, part: str, groups: tuple[str, ...]) -> str:
        if re.fullmatch(r"[0-9a-f]{2}", part):
            return part
        if found := re.fullmatch(r"\{(\d)\}", part):
            return groups[int(found[1]) - 1]
        if part == "{held}":
            held = self.unit.loading.part if self.unit.loading is not None else None
            return struct.pack(">III", held.size, held.crc, len(held.data)).hex() if held else "00" * 12
        if part == "{mac_bytes}":
            return self.unit.mac.replace(":", "")
        form, _, place = part.partition(":")
        path = self._path(place, groups)
        kept = path.startswith("=")
        path = path.removeprefix("=")
        memory = self.unit.memory
        value: Any = self.unit.words.get(path)
        if path.startswith("/"):
            value = memory.kept(path) if kept else memory.value(path)
        if form.startswith("text"):
            data = str(value).encode()
            return (data.ljust(int(form[4:]), b"\0") if form[4:] else data).hex()
        if form.startswith("piece"):
            offset, count = (int(groups[n], 16) for n in (0, 1))
            return bytes.fromhex(value)[offset : offset + count].hex()
        if form == "points":
            return b"".join(
                struct.pack(">hh", round(x * self._times(path + "#x")), round(y * self._times(path))) for x, y in value
            ).hex()
        number = self._words(path).get(str(value))
        if number is None:
            number = float(value) * self._times(path)  # type: ignore[assignment]
        return struct.pack(_NUMBERS[form], number if form == "f32" else round(number)).hex()  # type: ignore[arg-type]

    def _times(self, path: str) -> float:
        return next((times for pattern, times in self.form.times.items() if re.fullmatch(pattern, path)), 1.0)

    def _words(self, path: str) -> dict[str, int]:
        return next((words for pattern, words in self.form.words.items() if re.fullmatch(pattern, path)), {})
