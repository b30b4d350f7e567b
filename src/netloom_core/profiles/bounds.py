"""What a value has to be: one of some, none of some, or within limits. Pure."""

from __future__ import annotations

from typing import Any, Self

from pydantic import Field, model_validator

from netloom_core.types.base import Part

Value = str | int | float | bool


class Bounds(Part):
    one_of: list[Value] = []
    none_of: list[Value] = []
    at_least: float | None = None
    at_most: float | None = None

    @model_validator(mode="after")
    def _says_something(self) -> Self:
        if not (self.one_of or self.none_of) and self.at_least is None and self.at_most is None:
            raise ValueError("it asks for nothing")
        return self

    def holds(self, value: Any) -> bool:
        if self.one_of and value not in self.one_of:
            return False
        if value in self.none_of:
            return False
        if self.at_least is None and self.at_most is None:
            return True
        if isinstance(value, bool) or not isinstance(value, int | float):
            return False
        return (self.at_least is None or value >= self.at_least) and (self.at_most is None or value <= self.at_most)


class Safe(Bounds):
    """What a value has to be when the power comes back, so that nobody is in danger; `why` is what would be else."""

    why: str = Field(max_length=200)
