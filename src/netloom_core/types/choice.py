"""One of several: of options that are listed, or of an axis (the inputs of a matrix)."""

from __future__ import annotations

from functools import cached_property
from typing import Any, Literal, Self

from pydantic import Field, field_validator

from netloom_core.types.base import Part, ValueType


class Option(Part):
    value: str | int
    label: str


class Choice(ValueType):
    """`of` is an axis; `none` then is the label of the value 0, for an output that shows no input."""

    name: Literal["choice"] = Field(default="choice", alias="is")
    options: list[Option] = Field(default=[], max_length=4096)
    of: str = ""
    none: str = ""
    unit: str = ""

    @field_validator("options", mode="before")
    @classmethod
    def _from_map(cls, value: Any) -> Any:
        """`{open: Open, closed: Closed}` is a short way to write the list."""
        if isinstance(value, dict):
            return [{"value": key, "label": label} for key, label in value.items()]
        return value

    def on_axes(self, axes: dict[str, Any]) -> Self:
        if not self.of or self.of not in axes:
            return self
        axis = axes[self.of]
        options = [Option(value=n, label=axis.called(n)) for n in axis.numbers]
        if self.none:
            options.insert(0, Option(value=0, label=self.none))
        made = self.model_copy(update={"options": options})
        made.__dict__.pop("by_word", None)  # a copy brings along what was worked out before
        return made

    def want(self) -> str:
        shown = [str(option.value) for option in self.options]
        return "one of " + ", ".join(shown if len(shown) <= 20 else [*shown[:18], "…", shown[-1]])

    def canonical(self, value: Any) -> str | int:
        if not isinstance(value, str | int) or isinstance(value, bool):
            raise self.bad(value)
        found = self.by_word.get(str(value).casefold())
        if found is None:
            raise self.bad(value)
        return found

    @cached_property
    def by_word(self) -> dict[str, str | int]:
        """Options by their values and labels in small letters. A value counts before a label, the first of each."""
        words: dict[str, str | int] = {}
        for option in self.options:
            words.setdefault(str(option.value).casefold(), option.value)
        for option in self.options:
            words.setdefault(option.label.casefold(), option.value)
        return words

    def default(self) -> str | int:
        return self.options[0].value

    def show(self, value: Any) -> str:
        return next((option.label for option in self.options if option.value == value), str(value))

    def state(self, value: Any) -> str:
        return str(value)

    def limits(self) -> dict[str, Any]:
        return {"options": [option.model_dump() for option in self.options], "of": self.of}

    def problems(self) -> list[str]:
        if not self.options:
            return [f"it is a choice of {self.of}, which is no axis" if self.of else "it is a choice without options"]
        values = [str(option.value).casefold() for option in self.options]
        return ["two of its options have the same value"] if len(set(values)) < len(values) else []
