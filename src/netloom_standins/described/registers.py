"""Modbus as a description tells it: registers and coils that are places of a memory. Its own reading of the standard.

Modbus Application Protocol V1.1b3: function codes 1 to 6, 15, 16, and 43/14.
"""

from __future__ import annotations

import struct
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict

from netloom_standins.described.memory import Wrong, spread
from netloom_standins.described.unit import DescribedUnit

ILLEGAL_FUNCTION, ILLEGAL_ADDRESS, ILLEGAL_VALUE, FAILURE = 1, 2, 3, 4


class Place(BaseModel):
    """`at` is the first register of an axis, `every` how far the next lies."""

    model_config = ConfigDict(extra="forbid")

    at: int
    every: int = 1
    kind: Literal["u16", "s16", "u32", "s32", "f32", "text", "bit"] = "u16"
    bit: int = 0
    length: int = 1
    low_first: bool = False
    times: float = 1
    words: dict[str, int] = {}
    constant: str = ""
    kept: bool = False  # whether it tells what is kept


class RegisterForm(BaseModel):
    model_config = ConfigDict(extra="forbid")

    face: str
    port: int = 502
    unit: int = 0
    identity: bool = True
    coils: dict[str, Place] = {}
    discretes: dict[str, Place] = {}
    holding: dict[str, Place] = {}
    inputs: dict[str, Place] = {}
    kept: dict[str, Place] = {}  # holding registers that tell what is kept
    commands: dict[int, dict[int, str]] = {}  # a holding register: by value, what it does
    most: int = 125
    single_only: bool = False


class Registers:
    """Answers PDUs."""

    def __init__(self, unit: DescribedUnit, form: RegisterForm) -> None:
        self.unit, self.form = unit, form
        self._bits = {name: self._laid(getattr(form, name)) for name in ("coils", "discretes")}
        self._words = {name: self._laid(getattr(form, name)) for name in ("holding", "inputs")}
        told = {path: place.model_copy(update={"kept": True}) for path, place in form.kept.items()}
        self._words["holding"] |= self._laid(told)

    @staticmethod
    def _laid(places: dict[str, Place]) -> dict[int, list[tuple[str, Place, int]]]:
        """By register: what lies there, and which word of it."""
        laid: dict[int, list[tuple[str, Place, int]]] = {}
        for pattern, place in places.items():
            size = {"u32": 2, "s32": 2, "f32": 2, "text": place.length}.get(place.kind, 1)
            for number, path in enumerate(spread(pattern)):
                for word in range(size):
                    laid.setdefault(place.at + number * place.every + word, []).append((path, place, word))
        return laid

    def answer(self, pdu: bytes) -> bytes:
        code = pdu[0]
        try:
            return bytes((code,)) + self._carried_out(code, pdu[1:])
        except KeyError:
            return bytes((code | 0x80, ILLEGAL_ADDRESS))
        except (Wrong, OverflowError) as error:
            return bytes((code | 0x80, FAILURE if str(error) == "refused" else ILLEGAL_VALUE))
        except (IndexError, struct.error):
            return bytes((code | 0x80, ILLEGAL_VALUE))
        except NotImplementedError:
            return bytes((code | 0x80, ILLEGAL_FUNCTION))

    def _carried_out(self, code: int, data: bytes) -> bytes:
        if code == 43:
            return self._identity(data)
        first, count = struct.unpack(">HH", data[:4])
        match code:
            case 1 | 2:
                if not 1 <= count <= 2000:
                    raise Wrong("value")
                table = self._bits["coils" if code == 1 else "discretes"]
                bits = [self._bit(table[first + n][0]) for n in range(count)]
                packed = bytes(sum(flag << n for n, flag in enumerate(bits[at : at + 8])) for at in range(0, count, 8))
                return bytes((len(packed),)) + packed
            case 3 | 4:
                if not 1 <= count <= self.form.most:
                    raise Wrong("value")
                table = self._words["holding" if code == 3 else "inputs"]
                words = b"".join(self._word(table[first + n]) for n in range(count))
                return bytes((len(words),)) + words
            case 5:
                if count not in (0, 0xFF00):
                    raise Wrong("value")
                if not self.unit.pulled():
                    self._set_bit(self._bits["coils"][first][0], flag=count == 0xFF00)
                return data[:4]
            case 6:
                self._write(first, data[2:4])
                return data[:4]
            case 15 if not self.form.single_only:
                flags = [bool(data[5 + n // 8] >> n % 8 & 1) for n in range(count)]
                for n, flag in enumerate(flags):
                    self._set_bit(self._bits["coils"][first + n][0], flag=flag)
                return data[:4]
            case 16 if not self.form.single_only:
                if data[4] != count * 2 or len(data) != 5 + count * 2:
                    raise Wrong("value")
                self._write(first, data[5:])
                return data[:4]
        raise NotImplementedError

    def _identity(self, data: bytes) -> bytes:
        if not self.form.identity or data[:1] != b"\x0e":
            raise NotImplementedError
        words = self.unit.words
        told = {0: words["maker"], 1: words["model"], 2: words["firmware"]}
        body = b"".join(bytes((n, len(text))) + text.encode("latin-1") for n, text in told.items())
        return bytes((0x0E, data[1], 0x81, 0, 0, len(told))) + body

    # Values as words

    def _value(self, path: str, place: Place) -> Any:
        if place.constant:
            return self.unit.words.get(place.constant, place.constant)
        return self.unit.memory.kept(path) if place.kept else self.unit.memory.value(path)

    def _number(self, path: str, place: Place) -> float:
        value = self._value(path, place)
        if str(value) in place.words:
            return place.words[str(value)]
        return float(value) * place.times

    def _packed(self, path: str, place: Place) -> bytes:
        if place.kind == "text":
            return str(self._value(path, place)).encode("latin-1").ljust(place.length * 2, b"\0")[: place.length * 2]
        number = self._number(path, place)
        if place.kind == "f32":
            packed = struct.pack(">f", number)
        else:
            form = {"u16": ">H", "s16": ">h", "u32": ">I", "s32": ">i", "bit": ">H"}[place.kind]
            packed = struct.pack(form, round(number))
        return packed[2:] + packed[:2] if len(packed) == 4 and place.low_first else packed

    def _word(self, lying: list[tuple[str, Place, int]]) -> bytes:
        path, place, word = lying[0]
        if place.kind == "bit":
            total = sum(int(self._number(p, one)) << one.bit for p, one, _ in lying)
            return struct.pack(">H", total)
        return self._packed(path, place)[word * 2 : word * 2 + 2]

    def _bit(self, lying: tuple[str, Place, int]) -> int:
        path, place, _ = lying
        return int(bool(self._number(path, place)))

    def _set_bit(self, lying: tuple[str, Place, int], *, flag: bool) -> None:
        path, place, _ = lying
        self.unit.written(path, self._said(place, int(flag)))

    def _said(self, place: Place, number: float) -> Any:
        for word, said in place.words.items():
            if said == number:
                return word
        if place.words:
            raise Wrong("value")
        value = number / place.times
        return int(value) if float(value).is_integer() else value

    def _write(self, first: int, data: bytes) -> None:
        """Whole values only: half of a long one is refused, as many devices do."""
        at = 0
        while at < len(data):
            register = first + at // 2
            if (does := self.form.commands.get(register)) is not None:
                self._command(does, struct.unpack(">H", data[at : at + 2])[0])
                at += 2
                continue
            if self.unit.pulled():
                return
            lying = self._words["holding"][register]
            path, place, word = lying[0]
            size = 2 if place.kind == "bit" else len(self._packed(path, place))
            if word or at + size > len(data):
                raise Wrong("value")
            piece = data[at : at + size]
            if place.kind == "bit":
                number = struct.unpack(">H", piece)[0]
                for one_path, one, _ in lying:
                    self.unit.written(one_path, self._said(one, number >> one.bit & 1))
            elif place.kind == "text":
                self.unit.written(path, piece.rstrip(b"\0").decode("latin-1"))
            else:
                if len(piece) == 4 and place.low_first:
                    piece = piece[2:] + piece[:2]
                form = {"u16": ">H", "s16": ">h", "u32": ">I", "s32": ">i", "f32": ">f"}[place.kind]
                self.unit.written(path, self._said(place, struct.unpack(form, piece)[0]))
            at += size

    def _command(self, does: dict[int, str], value: int) -> None:
        if value not in does:
            raise Wrong("value")
        self.unit.do(does[value])


def crc(data: bytes) -> bytes:
    """The serial line's check (Modbus over Serial Line V1.02, clause 6.2.2), bit by bit."""
    register = 0xFFFF
    for byte in data:
        register ^= byte
        for _ in range(8):
            register, out = register >> 1, register & 1
            if out:
                register ^= 0xA001
    return bytes((register & 0xFF, register >> 8))


def request_length(data: bytes) -> int:
    """Of the frame that begins so; 0 while it does not tell."""
    if len(data) < 2:
        return 0
    if data[1] in (1, 2, 3, 4, 5, 6):
        return 8
    if data[1] == 43:
        return 7
    if data[1] in (15, 16):
        return 9 + data[6] if len(data) > 6 else 0
    return len(data)
