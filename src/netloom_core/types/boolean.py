"""Yes or no."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from netloom_core.types.base import ValueType

WORDS = {"true": True, "yes": True, "on": True, "1": True, "false": False, "no": False, "off": False, "0": False}


class Boolean(ValueType):
    name: Literal["boolean"] = Field(default="boolean", alias="is")

    def want(self) -> str:
        return "true or false"

    def canonical(self, value: Any) -> bool:
        if isinstance(value, bool):
            return value
        word = str(value).casefold() if isinstance(value, str | int) else ""
        if word not in WORDS:
            raise self.bad(value)
        return WORDS[word]

    def default(self) -> bool:
        return False

    def show(self, value: Any) -> str:
        return "yes" if value else "no"

    def state(self, value: Any) -> str:
        return "on" if value else "off"
