"""What is counted on a device: inputs, outputs, bands."""

from __future__ import annotations

from typing import Any

from pydantic import Field, model_validator

from netloom_core.profiles.fill import filled
from netloom_core.types.base import Part

MOST = 1024


class Axis(Part):
    """`count` of them from `first`. `label` is one of them in words, `names` the path of the item that labels it.

    `marks` are how they are printed on the device, in the order in which it counts them.
    """

    count: int = Field(ge=1, le=MOST)
    first: int = Field(default=1, ge=0, le=10_000)
    label: str = ""
    names: str = ""
    marks: list[str] = []

    @model_validator(mode="before")
    @classmethod
    def _from_number(cls, value: Any) -> Any:
        """`input: 8` is short for `input: {count: 8}`."""
        return {"count": value} if isinstance(value, int) else value

    @model_validator(mode="after")
    def _marked(self) -> Axis:
        if self.marks and len(self.marks) != self.count:
            raise ValueError(f"{len(self.marks)} marks for {self.count} of them")
        return self

    @property
    def numbers(self) -> range:
        return range(self.first, self.first + self.count)

    def called(self, number: int) -> str:
        mark = self.marks[number - self.first] if self.marks else str(number)
        return f"{self.label} {mark}".strip()

    def name_path(self, axis: str, number: int) -> str:
        return filled(self.names, {axis: number}) if self.names else ""
