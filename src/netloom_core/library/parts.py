"""Parts that many profiles share: how a profile and what it extends become one. Pure.

A part is a file with the same keys as a profile, as many as it needs. Maps are merged key by key, lists are joined;
of two items with the same path the later one's fields win, and so does the profile over its parts.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

Data = dict[str, Any]
DEEPEST = 8  # of parts that extend parts


class BadPart(ValueError):
    """What a profile extends is not to be had; the text says which."""


def whole(data: Data, parts: Mapping[str, Data], deep: int = 0) -> Data:
    """The profile with all that it extends. Raises BadPart."""
    if deep > DEEPEST:
        raise BadPart("extends: parts extend one another in a circle")
    names = data.get("extends", [])
    if not isinstance(names, list) or not all(isinstance(name, str) for name in names):
        raise BadPart("extends: it is a list of names of parts")
    result: Data = {}
    for name in names:
        if name not in parts:
            there = ", ".join(sorted(parts)) or "none"
            raise BadPart(f"extends: there is no part {name!r}; there are {there}")
        result = _over(result, whole(parts[name], parts, deep + 1))
    return _over(result, {key: value for key, value in data.items() if key != "extends"})


def _over(under: Data, data: Data) -> Data:
    result = dict(under)
    for key, value in data.items():
        if key == "items" and isinstance(value, list) and isinstance(result.get(key), list):
            result[key] = _items(result[key], value)
        else:
            result[key] = _merged(result[key], value) if key in result else value
    return result


def _merged(under: Any, value: Any) -> Any:
    if isinstance(under, dict) and isinstance(value, dict):
        return {**under, **{key: _merged(under[key], one) if key in under else one for key, one in value.items()}}
    if isinstance(under, list) and isinstance(value, list):
        return [*under, *(one for one in value if one not in under)]
    return value


def _items(under: Sequence[Any], items: Sequence[Any]) -> list[Any]:
    result = list(under)
    places = {item.get("path"): at for at, item in enumerate(result) if isinstance(item, dict)}
    for item in items:
        at = places.get(item.get("path")) if isinstance(item, dict) else None
        if at is None:
            result.append(item)
        else:
            result[at] = {**result[at], **item}
    return result
