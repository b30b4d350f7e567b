"""A curve: points (x, y) by rising x, as a limiter, an equaliser or a dimmer has it."""

from __future__ import annotations

from itertools import pairwise
from typing import Any, ClassVar, Literal

from pydantic import Field

from netloom_core.types.base import BadValue, Part, ValueType, as_list
from netloom_core.types.decimal import DecimalNumber


class Scale(Part):
    """One direction of a curve."""

    label: str = ""
    minimum: float
    maximum: float
    step: float = Field(default=0.1, gt=0)
    unit: str = ""

    @property
    def number(self) -> DecimalNumber:
        return DecimalNumber(minimum=self.minimum, maximum=self.maximum, step=self.step, unit=self.unit)


class Curve(ValueType):
    """`points` of them, or from two to so many where `fixed` is false. `steady` curves never fall."""

    editor: ClassVar[str] = "curve"

    name: Literal["curve"] = Field(default="curve", alias="is")
    x: Scale
    y: Scale
    points: int = Field(default=16, ge=2, le=256)
    fixed: bool = False
    steady: bool = False

    def want(self) -> str:
        count = f"{self.points}" if self.fixed else f"2 to {self.points}"
        return (
            f"{count} points [x, y] by rising x, x from {self.x.minimum:g} to {self.x.maximum:g}, "
            f"y from {self.y.minimum:g} to {self.y.maximum:g}"
        )

    def _each(self, value: Any, *, checked: bool) -> list[list[float]]:
        value = as_list(value)
        if not isinstance(value, list) or len(value) > 4 * self.points:
            raise self.bad(value)
        points = []
        x, y = self.x.number, self.y.number
        for point in value:
            if not isinstance(point, list) or len(point) != 2:
                raise self.bad(value)
            try:
                one = (
                    [x.check(point[0]), y.check(point[1])]
                    if checked
                    else [x.canonical(point[0]), y.canonical(point[1])]
                )
            except BadValue:
                raise self.bad(value) from None
            points.append(one)
        return points

    def canonical(self, value: Any) -> list[list[float]]:
        return self._each(value, checked=False)

    def check(self, value: Any) -> list[list[float]]:
        points = self._each(value, checked=True)
        count = len(points)
        if count != self.points if self.fixed else not 2 <= count <= self.points:
            raise self.bad(value)
        pairs = list(pairwise(points))
        if any(a[0] >= b[0] for a, b in pairs) or (self.steady and any(a[1] > b[1] for a, b in pairs)):
            raise self.bad(value)
        return points

    def default(self) -> list[list[float]]:
        count = self.points if self.fixed else 2
        span = self.x.maximum - self.x.minimum
        x, y = self.x.number, self.y.number
        return [[x.canonical(self.x.minimum + span * n / (count - 1)), y.default()] for n in range(count)]

    def show(self, value: Any) -> str:
        return f"{len(value)} points" if isinstance(value, list) else str(value)

    def limits(self) -> dict[str, Any]:
        return {"x": self.x.model_dump(), "y": self.y.model_dump(), "points": self.points, "fixed": self.fixed,
                "steady": self.steady}  # fmt: skip

    def problems(self) -> list[str]:
        return self.x.number.problems() + self.y.number.problems()
