"""JSON merge patches (RFC 7396) that leave alone what they do not mean. Pure."""

from __future__ import annotations

import copy
from collections.abc import Mapping
from typing import Any

from netloom_core.documents.tree import Document, put, tokens
from netloom_core.errors import ProtocolError


def merge_patch(current: Any, values: Mapping[str, Any]) -> Document:
    """A patch that sets `values` by pointer in a document that is `current`.

    A patch can only replace an array as a whole (RFC 7396 clause 1): where a pointer leads into
    one, the patch has the whole array with all its other elements as they are now.
    """
    patch: Document = {}
    arrays: dict[str, list[Any]] = {}
    for pointer, value in values.items():
        at = _array_on_the_way(current, pointer)
        if at is None:
            put(patch, pointer, value)
            continue
        place, array = at
        whole = arrays.setdefault(place, copy.deepcopy(array))
        _set_inside(whole, tokens(pointer)[len(tokens(place)) :], value, pointer)
    for place, whole in arrays.items():
        put(patch, place, whole)
    return patch


def _array_on_the_way(current: Any, pointer: str) -> tuple[str, list[Any]] | None:
    here, passed = current, ""
    for part in tokens(pointer):
        if isinstance(here, list):
            return passed, here
        if not isinstance(here, dict) or part not in here:
            return None
        here = here[part]
        passed += "/" + part.replace("~", "~0").replace("/", "~1")
    return None


def _set_inside(here: Any, parts: tuple[str, ...], value: Any, pointer: str) -> None:
    for number, part in enumerate(parts):
        last = number == len(parts) - 1
        if isinstance(here, list):
            if not part.isdecimal() or int(part) >= len(here):
                raise ProtocolError(f"The device has no element {part} for {pointer}.", outcome="not_sent")
            key: Any = int(part)
        elif isinstance(here, dict):
            key = part
            if not last:
                here.setdefault(key, {})
        else:
            raise ProtocolError(f"The device has a plain value on the way to {pointer}.", outcome="not_sent")
        if last:
            here[key] = value
        else:
            here = here[key]
