"""Numbers of axes in the texts of a profile: `{relay}`, counted from elsewhere `{relay-1}`, in a form `{relay:02}`.
Pure.

Only names of axes are filled in; any other brace stays, since drivers have words of their own (`{value}`).
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from pydantic import BaseModel

PLACE = re.compile(r"\{([a-z][a-z0-9_]*)([+-]\d{1,5})?(?::(0?\d{0,2}[xX]?))?\}")


def names_in(text: str) -> list[str]:
    return [found[1] for found in PLACE.finditer(text)]


def filled(text: str, numbers: Mapping[str, int]) -> str:
    """The text with the numbers that are there."""
    if "{" not in text:
        return text

    def put(found: re.Match[str]) -> str:
        if found[1] not in numbers:
            return found[0]
        return format(numbers[found[1]] + int(found[2] or 0), found[3] or "")

    return PLACE.sub(put, text)


def filled_in(value: Any, numbers: Mapping[str, int]) -> Any:
    """The same for all texts in a part of a profile; parts without any are returned as they are."""
    if isinstance(value, str):
        return filled(value, numbers)
    if isinstance(value, list):
        made = [filled_in(one, numbers) for one in value]
        return made if any(a is not b for a, b in zip(made, value, strict=True)) else value
    if isinstance(value, dict):
        pairs = [(filled(name, numbers), filled_in(one, numbers)) for name, one in value.items()]
        same = all(a == name and b is one for (a, b), (name, one) in zip(pairs, value.items(), strict=True))
        return value if same else dict(pairs)
    if isinstance(value, BaseModel):
        changed = {}
        for name in value.model_fields_set:
            before = getattr(value, name)
            after = filled_in(before, numbers)
            if after is not before:
                changed[name] = after
        return value.model_copy(update=changed) if changed else value
    return value
