"""A time of the day, hours to seconds (the `partial-time` of RFC 3339 without fractions)."""

from __future__ import annotations

import re
from typing import Any, Literal

from pydantic import Field

from netloom_core.types.base import ValueType

_TIME = re.compile(r"^(\d{1,2}):(\d{2})(?::(\d{2}))?$")


class TimeOfDay(ValueType):
    name: Literal["time"] = Field(default="time", alias="is")

    def want(self) -> str:
        return "a time of the day like 07:30:00"

    def canonical(self, value: Any) -> str:
        found = _TIME.match(value.strip()) if isinstance(value, str) else None
        if found is None:
            raise self.bad(value)
        hours, minutes, seconds = int(found[1]), int(found[2]), int(found[3] or 0)
        if hours > 23 or minutes > 59 or seconds > 59:
            raise self.bad(value)
        return f"{hours:02}:{minutes:02}:{seconds:02}"

    def default(self) -> str:
        return "00:00:00"
