"""What bindings and calls of all protocols have in common; each protocol's own are in its driver's folder."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Self

from netloom_core.profiles.fill import filled_in
from netloom_core.types.base import Part


class Binding(Part):
    """How one item is had by one channel. Texts may name axes."""

    def at(self, numbers: Mapping[str, int], along: Mapping[str, int]) -> Self:
        """This binding for one place on the axes: its number on each, and how many places from the first that is."""
        made: Self = filled_in(self, numbers)
        return made

    @property
    def reads(self) -> bool:
        return True

    @property
    def writes(self) -> bool:
        return True


class Call(Part):
    """One thing that a procedure sends."""


class NoBinding(Binding):
    """For a protocol by which a device is only found."""
