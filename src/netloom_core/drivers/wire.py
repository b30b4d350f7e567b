"""How values stand on a wire that carries text or numbers: words, a factor, a form. Pure.

Shared by bindings of protocols whose values are not typed by themselves.
"""

from __future__ import annotations

import math
from decimal import Decimal
from functools import cached_property
from typing import Any

from pydantic import Field, field_validator

from netloom_core.errors import ProtocolError
from netloom_core.profiles.item import Item
from netloom_core.types.base import BadValue, Part
from netloom_core.types.boolean import Boolean
from netloom_core.types.choice import Choice
from netloom_core.types.decimal import DecimalNumber
from netloom_core.types.integer import Integer

MAX_TEXT = 20_000


class Wire(Part):
    """`words` has, by value, what stands for it on the wire; numbers are value * `factor` + `plus` there.

    `form` is a Python format for numbers (`03`, `+.1f`, `02X`); whole hexadecimal ones are read back as such.
    """

    words: dict[str, str | bool | int | float] = {}
    factor: float = 1.0
    plus: float = 0.0
    form: str = Field(default="", pattern=r"^(\+?0?\d{0,2}(\.\d)?[dfXx]?)$")

    @field_validator("words", mode="before")
    @classmethod
    def _as_text(cls, value: Any) -> Any:
        """Keys may be written as numbers; what stands for a value keeps its type, for wires that have types."""
        return {_word(key): word for key, word in value.items()} if isinstance(value, dict) else value

    @cached_property
    def texts(self) -> dict[str, str]:
        """The words, as they stand on a wire of text."""
        return {value: _word(word) for value, word in self.words.items()}

    def number(self, value: float) -> float:
        """On the wire."""
        return float(Decimal(str(value)) * Decimal(str(self.factor)) + Decimal(str(self.plus)))

    def value(self, number: float) -> float:
        """From the wire."""
        return float((Decimal(str(number)) - Decimal(str(self.plus))) / Decimal(str(self.factor)))


def _word(value: Any) -> str:
    if isinstance(value, bool):
        return "true" if value else "false"
    return str(value)


def is_number(item: Item) -> bool:
    return isinstance(item.type, Integer | DecimalNumber)


def as_text(item: Item, wire: Wire, value: Any) -> str:
    """The value as it is said on a wire of text."""
    word = _word(value)
    if word in wire.texts:
        return wire.texts[word]
    if wire.words and not is_number(item):
        raise ProtocolError(f"{item.path}: there is no word for {word!r}.", outcome="not_sent")
    if not isinstance(value, int | float) or isinstance(value, bool):
        return word
    number = wire.number(value)
    if wire.form[-1:] in ("X", "x", "d") or (number.is_integer() and "." not in wire.form):
        return format(int(number), wire.form)
    return format(number, wire.form) if wire.form else f"{number:.10g}"


def from_text(item: Item, wire: Wire, text: str) -> Any:
    """The canonical value of what was said. Raises Unreadable where it is none of the item's type."""
    text = text[:MAX_TEXT]
    for value, word in wire.texts.items():
        if word == text or word.casefold() == text.casefold():
            return canonical(item, value)
    if wire.words and not is_number(item):
        raise strange(item, text)
    if is_number(item):
        return canonical(item, wire.value(_number(item, wire, text)))
    if isinstance(item.type, Choice) and text.strip().isascii() and text.strip().isdecimal():
        return canonical(item, str(int(text)))  # zeros before a number mean nothing
    return canonical(item, text)


def _number(item: Item, wire: Wire, text: str) -> float:
    try:
        number = float(int(text, 16)) if wire.form[-1:] in ("X", "x") else float(text.strip())
    except ValueError:
        raise strange(item, text) from None
    if not math.isfinite(number) or abs(number) > 1e15:
        raise strange(item, text)
    return number


def from_number(item: Item, wire: Wire, number: float) -> Any:
    """The canonical value of a number on the wire, of which words may be some."""
    if not math.isfinite(number) or abs(number) > 1e15:
        raise strange(item, str(number))
    word = f"{number:.10g}"
    for value, said in wire.texts.items():
        if said == word:
            return canonical(item, value)
    if wire.words and not is_number(item):
        raise strange(item, word)
    if is_number(item):
        return canonical(item, wire.value(number))
    return canonical(
        item, bool(number) if isinstance(item.type, Boolean) else int(number) if number == int(number) else number
    )


def as_number(item: Item, wire: Wire, value: Any) -> float:
    word = _word(value)
    if word in wire.texts:
        return float(wire.texts[word])
    if isinstance(value, bool):
        return float(value)
    if not isinstance(value, int | float):
        raise ProtocolError(f"{item.path}: {word!r} stands for no number on this wire.", outcome="not_sent")
    return wire.number(value)


def as_typed(item: Item, wire: Wire, value: Any) -> Any:
    """The value as it stands on a wire that has types, as JSON does: words keep theirs, a form makes a text."""
    word = _word(value)
    if word in wire.words:
        return wire.words[word]
    if wire.words and not is_number(item):
        raise ProtocolError(f"{item.path}: there is no word for {word!r}.", outcome="not_sent")
    if not is_number(item) or not isinstance(value, int | float) or isinstance(value, bool):
        return value
    if wire.form:
        return as_text(item, wire, value)
    if wire.factor == 1 and not wire.plus:
        return value
    number = wire.number(value)
    return int(number) if number.is_integer() else number


def from_typed(item: Item, wire: Wire, told: Any) -> Any:
    """The canonical value of what was told with a type; a number told as a text is one, too. Raises Unreadable."""
    for value, word in wire.words.items():
        same_type = isinstance(word, bool) is isinstance(told, bool)
        if (same_type and word == told) or (isinstance(told, str) and _word(word).casefold() == told.casefold()):
            return canonical(item, value)
    if wire.words and not is_number(item):
        raise strange(item, str(told))
    if not is_number(item) or isinstance(told, bool):
        return canonical(item, told)
    if isinstance(told, str) and (wire.form or wire.factor != 1 or wire.plus):
        return from_text(item, wire, told)
    if isinstance(told, int | float) and (wire.factor != 1 or wire.plus):
        return from_number(item, wire, told)
    return canonical(item, told)


def canonical(item: Item, value: Any) -> Any:
    try:
        return item.type.canonical(value)
    except BadValue:
        raise strange(item, str(value)) from None


class Unreadable(Exception):
    """What came for one item is no value of it, or nothing came; the others of the reading stand."""


def strange(item: Item, told: str) -> Unreadable:
    return Unreadable(f"it tells {told[:40]!r}, which is not {item.type.want()}")
