"""Host names: what may be one, how one is made of people's words, and patterns for many. Pure.

A label has letters, digits and hyphens, and no hyphen at either end (RFC 1123 clause 2.1), at most 63 of
them (RFC 1035 clause 2.3.4).
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable
from typing import Protocol

LABEL = 63
WHOLE = 253  # octets of a name with all of its labels
_GOOD = re.compile(r"[A-Za-z0-9]([A-Za-z0-9-]{0,61}[A-Za-z0-9])?")
_PART = re.compile(r"\{(\w+)(?::0?([1-9]))?\}")


class Named(Protocol):
    @property
    def name(self) -> str: ...
    @property
    def kind(self) -> str: ...
    @property
    def area_name(self) -> str: ...


def is_host_name(text: str) -> bool:
    return 0 < len(text) <= WHOLE and all(_GOOD.fullmatch(label) for label in text.split("."))


def host_label(text: str) -> str:
    """The nearest label to some words; `device` where nothing of them is left."""
    spelt = text.replace("ß", "ss").replace("æ", "ae").replace("ø", "o").replace("ł", "l")
    plain = unicodedata.normalize("NFKD", spelt).encode("ascii", "ignore").decode().lower()
    return re.sub(r"[^a-z0-9]+", "-", plain).strip("-")[:LABEL].strip("-") or "device"


def patterned(pattern: str, one: Named, numbers: Iterable[int]) -> list[str]:
    """Labels by a pattern: `{area}`, `{kind}`, `{name}`, and `{n}` or, in so many digits, `{n:02}`."""
    words = {"area": one.area_name, "kind": one.kind, "name": one.name}

    def filled(number: int) -> str:
        def part(found: re.Match[str]) -> str:
            if found[1] == "n":
                return f"{number:0{found[2] or 1}}"
            return words.get(found[1], found[0])

        name = _PART.sub(part, pattern)
        return name if "{n" in pattern else f"{name}-{number}"

    return [host_label(filled(number)) for number in numbers]


def number_in(pattern: str, one: Named, label: str) -> int:
    """Which number makes that label by the pattern; 0 where none does."""
    mark = 98765432109
    [template] = patterned(pattern, one, [mark])
    head, found, tail = template.partition(str(mark))
    if not found or not label.startswith(head) or not label.endswith(tail):
        return 0
    digits = label[len(head) : len(label) - len(tail)]
    if not digits.isdecimal() or len(digits) > 9:
        return 0
    number = int(digits)
    return number if number and patterned(pattern, one, [number]) == [label] else 0
