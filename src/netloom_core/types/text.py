"""Text on one line."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from netloom_core.types.base import ValueType


class Text(ValueType):
    """`ascii` bounds the characters: some devices show no others."""

    name: Literal["text"] = Field(default="text", alias="is")
    max_length: int = Field(default=64, ge=1, le=4096)
    ascii: bool = False

    def want(self) -> str:
        plain = " of plain ASCII" if self.ascii else ""
        return f"text of at most {self.max_length} characters{plain} on one line"

    def canonical(self, value: Any) -> str:
        if isinstance(value, bool) or not isinstance(value, str | int | float):
            raise self.bad(value)
        return str(value)

    def check(self, value: Any) -> str:
        fits = isinstance(value, str) and len(value) <= self.max_length and value.isprintable()
        if not fits or (self.ascii and not value.isascii()):
            raise self.bad(value)
        return str(value)

    def default(self) -> str:
        return ""

    def limits(self) -> dict[str, Any]:
        return {"max_length": self.max_length}
