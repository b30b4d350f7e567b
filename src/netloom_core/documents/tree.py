"""Documents: plain JSON trees in canonical form, addressed by JSON Pointer (RFC 6901).

Canonical form is UTF-8 JSON with sorted keys and no spaces; numbers are integers
wherever a profile says so, which keeps us clear of the float rules of RFC 8785.
"""

from __future__ import annotations

import copy
import hashlib
from collections.abc import Iterator, Mapping
from functools import lru_cache
from types import MappingProxyType
from typing import Any

import orjson

from netloom_core.errors import UnknownSetting

Document = dict[str, Any]
MISSING: Any = type("Missing", (), {"__repr__": lambda self: "MISSING", "__bool__": lambda self: False})()
ALL_READ: Mapping[str, str] = MappingProxyType({})  # of a reading of which nothing was unreadable, by path: why
MAX_DEPTH = 32


def canonical(document: Document) -> bytes:
    return orjson.dumps(document, option=orjson.OPT_SORT_KEYS)


def digest(document: Document) -> str:
    """SHA-256 of the canonical form, in hex."""
    return hashlib.sha256(canonical(document)).hexdigest()


def deeper_than(value: Any, depth: int) -> bool:
    """Whether objects and lists are nested in it more than so many levels."""
    level = [value]
    for _ in range(depth):
        level = [
            inner
            for one in level
            if isinstance(one, dict | list)
            for inner in (one.values() if isinstance(one, dict) else one)
        ]
        if not level:
            return False
    return True


@lru_cache(maxsize=20_000)
def tokens(pointer: str) -> tuple[str, ...]:
    """Parts of a JSON Pointer, unescaped (RFC 6901 clause 4)."""
    if pointer == "":
        return ()
    if not pointer.startswith("/"):
        raise UnknownSetting(f"{pointer!r} is not a path of a setting.", "A path starts with /, like /relays/1/idle.")
    return tuple(part.replace("~1", "/").replace("~0", "~") for part in pointer[1:].split("/"))


def get(document: Any, pointer: str) -> Any:
    """Value at the pointer, or MISSING."""
    return at(document, tokens(pointer))


def at(document: Any, parts: tuple[str, ...]) -> Any:
    """Value at the parts of a pointer, or MISSING."""
    here = document
    for part in parts:
        if isinstance(here, dict) and part in here:
            here = here[part]
        elif isinstance(here, list) and part.isdecimal() and int(part) < len(here):
            here = here[int(part)]
        else:
            return MISSING
    return here


def put(document: Document, pointer: str, value: Any) -> None:
    """Set a value, making the objects on the way. Works in place."""
    parts = tokens(pointer)
    here = document
    for part in parts[:-1]:
        nxt = here.get(part)
        if not isinstance(nxt, dict):
            nxt = here[part] = {}
        here = nxt
    here[parts[-1]] = value


def remove(document: Document, pointer: str) -> None:
    """Take a value out, and objects that become empty by it. Works in place."""
    trail: list[tuple[dict[str, Any], str]] = []
    here: Any = document
    for part in tokens(pointer):
        if not isinstance(here, dict) or part not in here:
            return
        trail.append((here, part))
        here = here[part]
    for parent, part in reversed(trail):
        del parent[part]
        if parent:
            return


def escaped(name: str) -> str:
    """A name as a part of a JSON Pointer (RFC 6901 clause 3)."""
    return name.replace("~", "~0").replace("/", "~1") if "~" in name or "/" in name else name


def leaves(document: Any, base: str = "", depth: int = 0) -> Iterator[tuple[str, Any]]:
    """Every value that is not an object, with its pointer, in document order."""
    if isinstance(document, dict) and document and depth < MAX_DEPTH:
        for name, value in document.items():
            yield from leaves(value, f"{base}/{escaped(name)}", depth + 1)
    elif base:
        yield base, document


def merged(document: Document, values: dict[str, Any]) -> Document:
    """A copy with values set by pointer."""
    result = copy.deepcopy(document)
    for pointer, value in values.items():
        put(result, pointer, value)
    return result


def depth(value: Any) -> int:
    """How deep objects and arrays are nested; without recursion, since what comes from outside may be deep."""
    deepest, layer = 0, [value]
    while layer:
        layer = [
            inner
            for one in layer
            if isinstance(one, dict | list)
            for inner in (one.values() if isinstance(one, dict) else one)
        ]
        deepest += bool(layer)
    return deepest
