"""Bytes, such as an EDID: small hexadecimal letters without spaces."""

from __future__ import annotations

import re
from typing import Any, ClassVar, Literal

from pydantic import Field

from netloom_core.edid.parse import NoEdid, parse
from netloom_core.types.base import BadValue, ValueType

_HEX = re.compile(r"^([0-9a-f]{2})*$")


class Octets(ValueType):
    """`holds` says what they are: those of an EDID are looked at when somebody gives one.

    None at all are always allowed where the least length is 0."""

    editor: ClassVar[str] = "bytes"

    name: Literal["bytes"] = Field(default="bytes", alias="is")
    min_length: int = Field(default=0, ge=0, le=65536)
    max_length: int = Field(default=256, ge=1, le=65536)
    holds: Literal["", "edid"] = ""

    def want(self) -> str:
        return f"{self.min_length} to {self.max_length} bytes in hexadecimal"

    def canonical(self, value: Any) -> str:
        bare = re.sub(r"[\s:]", "", value).casefold() if isinstance(value, str) else ""
        if not isinstance(value, str) or not _HEX.match(bare) or len(bare) > 4 * self.max_length:
            raise self.bad(value)
        return bare

    def check(self, value: Any) -> str:
        bare = self.canonical(value)
        if not self.min_length <= len(bare) // 2 <= self.max_length:
            raise self.bad(value)
        if self.holds == "edid" and bare:
            self._an_edid(bare)
        return bare

    @staticmethod
    def _an_edid(bare: str) -> None:
        try:
            wrong = [one for one in parse(bytes.fromhex(bare)).errors if one.where in ("checksum", "length", "blocks")]
        except NoEdid as error:
            raise BadValue(error.message) from error
        if wrong:
            raise BadValue(f"That EDID is damaged: {wrong[0].message}.")

    def default(self) -> str:
        return "00" * self.min_length

    def show(self, value: Any) -> str:
        return f"{len(value) // 2} bytes" if isinstance(value, str) else str(value)

    def state(self, value: Any) -> str:
        return str(value)

    def limits(self) -> dict[str, Any]:
        more = {"holds": self.holds} if self.holds else {}
        return {"min_length": self.min_length, "max_length": self.max_length, **more}

    def problems(self) -> list[str]:
        return ["its least length is above its greatest"] if self.min_length > self.max_length else []
