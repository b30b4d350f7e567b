"""Channels of protocols by which a device is found and known, and by which nothing is read or written yet."""

from __future__ import annotations

from typing import ClassVar, Literal

from netloom_core.profiles.channel import Channel


class SacnChannel(Channel, protocol="sacn"):
    protocol: Literal["sacn"]


class BehindChannel(Channel, protocol="behind"):
    """It is on a bus that another device leads, and that one tells of it."""

    on: ClassVar[tuple[str, ...]] = ("behind",)

    protocol: Literal["behind"]
