"""A secret: a reference to a text that only a driver gets. It is written and never read."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

from pydantic import Field

from netloom_core.types.base import BadValue, ValueType


class Secret(ValueType):
    editor: ClassVar[str] = "secret"
    secret: ClassVar[bool] = True

    name: Literal["secret"] = Field(default="secret", alias="is")
    max_length: int = Field(default=64, ge=1, le=512)
    min_length: int = Field(default=1, ge=1, le=512)
    hex: bool = False  # digits of a key; a new one is made of `min_length` of them

    def want(self) -> str:
        return f"text of {self.min_length} to {self.max_length} characters on one line"

    def canonical(self, value: Any) -> str:
        """A reference, or the text itself, which whoever keeps it makes a reference of."""
        if not isinstance(value, str) or not self.min_length <= len(value) <= self.max_length:
            raise BadValue(f"this is not {self.want()}")
        if not value.isprintable():
            raise BadValue(f"this is not {self.want()}")
        return value

    def default(self) -> str:
        return ""

    def limits(self) -> dict[str, Any]:
        return {"max_length": self.max_length}
