"""IPv4 addresses, netmasks and MAC addresses."""

from __future__ import annotations

import ipaddress
import re
from typing import Any, Literal

from pydantic import Field

from netloom_core.types.base import ValueType

_MAC = re.compile(r"^[0-9a-f]{12}$")
_BETWEEN = re.compile(r"[:.\-\s]")


class Ipv4(ValueType):
    name: Literal["ipv4"] = Field(default="ipv4", alias="is")

    def want(self) -> str:
        return "an IPv4 address like 127.20.10.21"

    def canonical(self, value: Any) -> str:
        try:
            return str(ipaddress.IPv4Address(str(value)))
        except ValueError:
            raise self.bad(value) from None

    def default(self) -> str:
        return "0.0.0.0"  # noqa: S104 - an address that is not set, nothing is bound to it


class Netmask(ValueType):
    name: Literal["netmask"] = Field(default="netmask", alias="is")

    def want(self) -> str:
        return "a netmask like 255.255.255.0"

    def canonical(self, value: Any) -> str:
        try:
            return str(ipaddress.IPv4Network(f"0.0.0.0/{str(value).removeprefix('/')}").netmask)
        except ValueError:
            raise self.bad(value) from None

    def default(self) -> str:
        return "255.255.255.0"


class Mac(ValueType):
    """In small letters with colons (the form of IEEE 802 with colons), however it is written elsewhere."""

    name: Literal["mac"] = Field(default="mac", alias="is")

    def want(self) -> str:
        return "a MAC address like 0a:1b:2c:3d:4e:5f"

    def canonical(self, value: Any) -> str:
        bare = _BETWEEN.sub("", str(value)).casefold()
        if not isinstance(value, str) or not _MAC.match(bare):
            raise self.bad(value)
        return ":".join(bare[at : at + 2] for at in range(0, 12, 2))

    def default(self) -> str:
        return "00:00:00:00:00:00"
