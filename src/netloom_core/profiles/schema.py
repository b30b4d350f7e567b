"""The form of a profile file: the description of a device model as data.

Format 1; `docs/profiles.md` tells it in prose, `profiles/profile.schema.json` is
made from these classes for editors.
"""

from __future__ import annotations

import re
from functools import cached_property
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

Disturbs = Literal["picture", "sound", "door", "link", "relay"]


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class Option(_Part):
    value: str | int
    label: str


class Need(_Part):
    """A condition on another setting: it must have one of the values."""

    path: str
    one_of: list[str | int | bool]
    why: str = ""


class TableEntry(_Part):
    """Where an integer lives in a device's parameter table (see docs/osdp.md)."""

    id: int = Field(ge=0, le=255)


class Setting(_Part):
    """One value of a device.

    `takes` tells when a written value works; `kept` what a power cut does to it;
    `role` marks the values by which the device is reached. `pointer` is the place in
    the device's own JSON, `table` the entry in its parameter table. `{n}` in path,
    label, pointer and role counts through `repeat` (`1..8`).
    """

    path: str = Field(pattern=r"^(/[A-Za-z0-9_{}-]+)+$")
    label: str
    type: Literal["text", "integer", "choice", "boolean", "ipv4", "netmask"]
    unit: str = ""
    minimum: int | None = None
    maximum: int | None = None
    max_length: int = Field(default=64, le=512)
    options: list[Option] = []
    default: Any = None
    takes: Literal["at-once", "on-store", "on-restart"] = "at-once"
    kept: Literal["when-stored", "always", "never"] = "when-stored"
    reserved: str = ""
    needs: list[Need] = []
    disturbs: list[Disturbs] = []
    role: Literal["", "address", "speed", "name"] = ""
    pointer: str = ""
    table: TableEntry | None = None
    repeat: str = Field(default="", pattern=r"^(\d+\.\.\d+)?$")
    table_step: int = Field(default=1, ge=1, le=64)


class Point(_Part):
    """Something with a live state or that can be driven. States are words, off first."""

    id: str
    kind: Literal["relay", "input", "output", "lamp", "tamper", "power", "meter"]
    label: str
    states: list[str] = ["off", "on"]
    drive: bool = False
    disturbs: list[Disturbs] = []
    repeat: str = Field(default="", pattern=r"^(\d+\.\.\d+)?$")


class Match(_Part):
    """Facts of a sighting that speak for this model; all must be there, `weight` adds up."""

    facts: dict[str, str]
    weight: int = Field(ge=1, le=100)


class HttpCall(_Part):
    method: Literal["GET", "POST", "PUT", "PATCH"] = "GET"
    path: str = Field(pattern=r"^/")
    body: dict[str, Any] | None = None


class HttpReach(_Part):
    """HTTP with JSON bodies. Pointers in `identity` and `token` are JSON Pointers into replies."""

    port: int = Field(ge=1, le=65535)
    identify: HttpCall
    identity: dict[str, str]
    sign_in: HttpCall | None = None
    token: str = ""
    read: dict[Literal["running", "startup"], HttpCall]
    write: HttpCall
    store: HttpCall | None = None
    restart: HttpCall | None = None
    states: HttpCall | None = None
    drive: HttpCall | None = None
    events: HttpCall | None = None
    restart_seconds: float = Field(default=10, gt=0, le=600)
    services: list[str] = []


class TableReach(_Part):
    """Operation codes of a parameter table carried in manufacturer-specific commands."""

    vendor: str = Field(pattern=r"^[0-9A-F]{6}$")
    read: int = Field(ge=0, le=255)
    write: int = Field(ge=0, le=255)
    store: int = Field(ge=0, le=255)
    restart: int = Field(ge=0, le=255)


class OsdpReach(_Part):
    vendor: str = Field(pattern=r"^[0-9A-F]{6}$")
    model_number: int = Field(ge=0, le=255)
    speeds: list[int] = [9600, 19200, 38400, 57600, 115200, 230400]
    table: TableReach | None = None
    restart_seconds: float = Field(default=5, gt=0, le=600)


class Reach(_Part):
    http: HttpReach | None = None
    osdp: OsdpReach | None = None


class Factory(_Part):
    addresses: list[str] = []
    speed: int = 0
    user: str = ""
    password: str = ""


def _span(repeat: str) -> list[int]:
    low, _, high = repeat.partition("..")
    return list(range(int(low), int(high) + 1))


class Profile(_Part):
    format: Literal[1]
    id: str = Field(pattern=r"^[a-z0-9-]{3,60}$")
    maker: str
    model: str
    kind: str
    aliases: list[str] = []
    match: list[Match]
    reach: Reach
    factory: Factory = Factory()
    settings: list[Setting] = []
    points: list[Point] = []

    model_config = ConfigDict(extra="forbid", frozen=True, ignored_types=(cached_property,))

    @model_validator(mode="after")
    def _consistent(self) -> Profile:
        paths = [one.path for setting in self.settings for one in _written_out(setting)]
        twice = next((path for path in paths if paths.count(path) > 1), None)
        if twice is not None:
            raise ValueError(f"{twice} is described twice")
        for setting in self.by_path.values():
            if setting.type == "choice" and not setting.options:
                raise ValueError(f"{setting.path} is a choice without options")
            for need in setting.needs:
                if need.path not in self.by_path:
                    raise ValueError(f"{setting.path} needs {need.path}, which is not described")
        if self.reach.http is None and self.reach.osdp is None:
            raise ValueError("reach names no protocol")
        return self

    @cached_property
    def by_path(self) -> dict[str, Setting]:
        """Every setting by its path, counted ones written out, in the order of the file."""
        result: dict[str, Setting] = {}
        for setting in self.settings:
            for one in _written_out(setting):
                result[one.path] = one
        return result

    @cached_property
    def by_point(self) -> dict[str, Point]:
        result: dict[str, Point] = {}
        for point in self.points:
            for n in _span(point.repeat) if point.repeat else [None]:
                ident = point.id.replace("{n}", str(n))
                result[ident] = point.model_copy(
                    update={"id": ident, "label": point.label.replace("{n}", str(n)), "repeat": ""}
                )
        return result

    def with_role(self, role: str) -> Setting | None:
        return next((s for s in self.by_path.values() if s.role == role), None)

    @property
    def protocol(self) -> str:
        return "http" if self.reach.http else "osdp"

    @property
    def writable(self) -> list[str]:
        return [path for path, setting in self.by_path.items() if not setting.reserved]


def _written_out(setting: Setting) -> list[Setting]:
    if not setting.repeat:
        return [setting]
    result = []
    for index, n in enumerate(_span(setting.repeat)):

        def fill(text: str, n: int = n) -> str:
            return re.sub(r"\{n\}", str(n), text)

        changed: dict[str, Any] = {
            "path": fill(setting.path),
            "label": fill(setting.label),
            "pointer": fill(setting.pointer),
            "repeat": "",
            "needs": [need.model_copy(update={"path": fill(need.path)}) for need in setting.needs],
        }
        if setting.table:
            changed["table"] = TableEntry(id=setting.table.id + index * setting.table_step)
        result.append(setting.model_copy(update=changed))
    return result
