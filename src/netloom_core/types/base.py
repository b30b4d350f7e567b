"""What every type of value has: how a value is checked, its one canonical form, a default, its editor. Pure.

Two values of a type are equal when their canonical forms are. A canonical form is plain JSON, so
that documents are compared as they are.
"""

from __future__ import annotations

import json
from typing import Any, ClassVar, Self

from pydantic import BaseModel, ConfigDict


class Part(BaseModel):
    """A part of a profile: nothing but what is described may stand in it."""

    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True, serialize_by_alias=True)


class BadValue(ValueError):
    """The value is not one of this type; the text says what would be."""


MAX_WRITTEN = 20_000


def as_list(value: Any) -> Any:
    """A list as people write it on a command line, `[[0, 0], [1, 2]]`, as one; anything else as it is."""
    if not isinstance(value, str) or not value.lstrip().startswith("[") or len(value) > MAX_WRITTEN:
        return value
    try:
        return json.loads(value)
    except (ValueError, RecursionError):
        return value


class ValueType(Part):
    """`is` names it in a profile. `editor` is what the screen offers for it."""

    editor: ClassVar[str] = "row"
    secret: ClassVar[bool] = False

    def want(self) -> str:
        """What may be given, in words that follow 'Give '."""
        raise NotImplementedError

    def canonical(self, value: Any) -> Any:
        """The one form of a value that a device told or a person typed. Raises BadValue where it is none of this type.

        Limits are not looked at: a device may have a value that nobody may give it.
        """
        raise NotImplementedError

    def check(self, value: Any) -> Any:
        """The canonical form of a value that may be given. Raises BadValue."""
        return self.canonical(value)

    def default(self) -> Any:
        """What a fresh device is taken to have; it need not be a value that may be given."""
        raise NotImplementedError

    def show(self, value: Any) -> str:
        """The value in words, without its unit."""
        return str(value)

    def state(self, value: Any) -> str:
        """The value as the state of a point, from which it can be had again."""
        return self.show(value)

    def on_axes(self, axes: dict[str, Any]) -> Self:
        """The type with what it takes from the profile's axes."""
        return self

    def limits(self) -> dict[str, Any]:
        """What an editor has to know, as plain data."""
        return {}

    def problems(self) -> list[str]:
        """What is wrong with its description, beyond its form."""
        return []

    def bad(self, value: Any) -> BadValue:
        return BadValue(f"{str(value)[:60]!r} is not {self.want()}")
