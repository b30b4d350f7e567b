"""Fences: what nobody drives or writes to for a time."""

from __future__ import annotations

from collections.abc import Mapping


def why_fenced(fences: Mapping[str, str], point: str | None) -> str:
    """Why that point of a device may not be driven now; empty where it may.

    `fences` are reasons by point, with "" for the whole device. Without a point any fence there is a reason.
    """
    if point is None:
        return next(iter(fences.values()), "")
    return fences.get("", "") or fences.get(point, "")
