"""A list of values of one plain type. Where their order tells nothing, the canonical form is sorted."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal, Self

from pydantic import BeforeValidator, Field

from netloom_core.types.base import BadValue, ValueType, as_list
from netloom_core.types.choice import Choice
from netloom_core.types.decimal import DecimalNumber
from netloom_core.types.integer import Integer
from netloom_core.types.network import Ipv4, Mac
from netloom_core.types.text import Text


def named(value: Any) -> Any:
    """`type: text` is short for `type: {is: text}`."""
    return {"is": value} if isinstance(value, str) else value


Plain = Annotated[
    Annotated[Text | Integer | DecimalNumber | Choice | Ipv4 | Mac, Field(discriminator="name")], BeforeValidator(named)
]


class Several(ValueType):
    editor: ClassVar[str] = "list"

    name: Literal["list"] = Field(default="list", alias="is")
    each: Plain
    least: int = Field(default=0, ge=0, le=1024)
    most: int = Field(default=32, ge=1, le=1024)
    ordered: bool = True

    def want(self) -> str:
        return f"a list of {self.least} to {self.most}, each {self.each.want()}"

    def _all(self, value: Any, *, checked: bool) -> list[Any]:
        value = as_list(value)
        if not isinstance(value, list) or len(value) > 4 * self.most:
            raise self.bad(value)
        try:
            found = [self.each.check(one) if checked else self.each.canonical(one) for one in value]
        except BadValue:
            raise self.bad(value) from None
        return found if self.ordered else sorted(found, key=str)

    def canonical(self, value: Any) -> list[Any]:
        return self._all(value, checked=False)

    def check(self, value: Any) -> list[Any]:
        found = self._all(value, checked=True)
        if not self.least <= len(found) <= self.most:
            raise self.bad(value)
        return found

    def default(self) -> list[Any]:
        return [self.each.default()] * self.least

    def show(self, value: Any) -> str:
        return ", ".join(self.each.show(one) for one in value) if isinstance(value, list) else str(value)

    def state(self, value: Any) -> str:
        return ",".join(self.each.state(one) for one in value) if isinstance(value, list) else str(value)

    def on_axes(self, axes: dict[str, Any]) -> Self:
        return self.model_copy(update={"each": self.each.on_axes(axes)})

    def limits(self) -> dict[str, Any]:
        return {"each": {"type": self.each.name, **self.each.limits()}, "least": self.least, "most": self.most}

    def problems(self) -> list[str]:
        return self.each.problems()
