"""A whole number."""

from __future__ import annotations

import re
from typing import Any, Literal

from pydantic import Field

from netloom_core.types.base import ValueType

MOST = 2**31 - 1
_WRITTEN = re.compile(r"^\s*[+-]?[0-9]{1,20}\s*$")
FARTHEST = 2**53  # beyond it JSON readers lose digits


class Integer(ValueType):
    name: Literal["integer"] = Field(default="integer", alias="is")
    minimum: int = Field(default=0, ge=-FARTHEST)
    maximum: int = Field(default=MOST, le=FARTHEST)
    step: int = Field(default=1, ge=1)
    unit: str = ""

    def want(self) -> str:
        by = f" in steps of {self.step}" if self.step > 1 else ""
        return f"a whole number from {self.minimum} to {self.maximum}{by}{' ' + self.unit if self.unit else ''}"

    def canonical(self, value: Any) -> int:
        if isinstance(value, bool):
            raise self.bad(value)
        if isinstance(value, float) and value.is_integer():
            value = int(value)
        if not isinstance(value, int | str) or (isinstance(value, str) and not _WRITTEN.match(value)):
            raise self.bad(value)
        number = int(value)
        if abs(number) > FARTHEST:
            raise self.bad(value)
        return number

    def check(self, value: Any) -> int:
        number = self.canonical(value)
        if not self.minimum <= number <= self.maximum or (number - self.minimum) % self.step:
            raise self.bad(value)
        return number

    def default(self) -> int:
        return min(max(0, self.minimum), self.maximum)

    def limits(self) -> dict[str, Any]:
        return {"minimum": self.minimum, "maximum": self.maximum, "step": self.step}

    def problems(self) -> list[str]:
        return ["its minimum is above its maximum"] if self.minimum > self.maximum else []
