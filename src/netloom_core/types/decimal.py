"""A number with a fraction, in steps: a level of -6.0 dB is the same as one of -6.00.

Its canonical form is the nearest step, rounded to the places of the step, so that a device that
tells -5.999 where it was given -6 has what it was given.
"""

from __future__ import annotations

import math
from decimal import ROUND_HALF_EVEN, Decimal, InvalidOperation
from typing import Any, Literal

from pydantic import Field

from netloom_core.types.base import ValueType


class DecimalNumber(ValueType):
    name: Literal["decimal"] = Field(default="decimal", alias="is")
    minimum: float = 0.0
    maximum: float = 1_000_000.0
    step: float = Field(default=0.1, gt=0)
    unit: str = ""

    def want(self) -> str:
        unit = f" {self.unit}" if self.unit else ""
        return f"a number from {self.minimum:g} to {self.maximum:g}{unit} in steps of {self.step:g}"

    def canonical(self, value: Any) -> float:
        if isinstance(value, bool) or not isinstance(value, int | float | str) or len(str(value)) > 40:
            raise self.bad(value)
        try:
            number = Decimal(str(value).strip())
        except InvalidOperation:
            raise self.bad(value) from None
        if not number.is_finite() or abs(number) > Decimal(10) ** 15:
            raise self.bad(value)
        step = Decimal(str(self.step))
        steps = (number / step).quantize(Decimal(1), rounding=ROUND_HALF_EVEN)
        return float(steps * step) or 0.0  # -0.0 is 0.0

    def check(self, value: Any) -> float:
        number = self.canonical(value)
        given = float(str(value).strip())
        if not self.minimum <= number <= self.maximum or not math.isclose(given, number, abs_tol=self.step * 1e-6):
            raise self.bad(value)
        return number

    def default(self) -> float:
        return self.canonical(min(max(0.0, self.minimum), self.maximum))

    def show(self, value: Any) -> str:
        places = max(-int(Decimal(str(self.step)).normalize().as_tuple().exponent), 0)
        return f"{value:.{places}f}" if isinstance(value, int | float) else str(value)

    def limits(self) -> dict[str, Any]:
        return {"minimum": self.minimum, "maximum": self.maximum, "step": self.step}

    def problems(self) -> list[str]:
        return ["its minimum is above its maximum"] if self.minimum > self.maximum else []
