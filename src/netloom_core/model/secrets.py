"""References to secrets: what stands in values, plans and journals instead of the text itself."""

from __future__ import annotations

from typing import Any

PREFIX = "secret:"
MASK = "•••"


def reference(ident: str) -> str:
    return f"{PREFIX}{ident}"


def is_reference(value: Any) -> bool:
    return isinstance(value, str) and value.startswith(PREFIX)


def masked(value: Any) -> Any:
    """The value as it may be shown."""
    return MASK if is_reference(value) else value
