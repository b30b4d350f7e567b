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
    type: Literal["text", "integer", "choice", "boolean", "ipv4", "netmask", "secret"]
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
    role: Literal["", "address", "speed", "name", "password"] = ""
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


class Behind(_Part):
    """How a device tells who is on the bus that it leads: a list at `items`, each with these fields.

    `fields` are JSON Pointers by fact, `address` among them. It can only tell while its
    setting `leads` has one of the values.
    """

    name: str
    list: HttpCall
    items: str = ""
    fields: dict[str, str]
    leads: Need | None = None


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
    behind: Behind | None = None


class TableReach(_Part):
    """Operation codes of a parameter table carried in manufacturer-specific commands."""

    vendor: str = Field(pattern=r"^[0-9A-F]{6}$")
    read: int = Field(ge=0, le=255)
    write: int = Field(ge=0, le=255)
    store: int = Field(ge=0, le=255)
    restart: int = Field(ge=0, le=255)


class OsdpReach(_Part):
    """A unit of that vendor (IEEE organisation number) and model; without them any unit, by the standard alone."""

    vendor: str = Field(default="", pattern=r"^([0-9A-F]{6})?$")
    model_number: int | None = Field(default=None, ge=0, le=255)
    speeds: list[int] = [9600, 19200, 38400, 57600, 115200, 230400]
    table: TableReach | None = None
    restart_seconds: float = Field(default=5, gt=0, le=600)


class ModbusReach(_Part):
    """Modbus on RS-485 or TCP. `serial` are the holding registers that hold the serial number as text."""

    port: int = Field(default=502, ge=1, le=65535)
    speeds: list[int] = [9600, 19200]
    serial_register: int | None = Field(default=None, ge=0, le=65535)
    serial_count: int = Field(default=4, ge=1, le=60)


class Ask(_Part):
    """One question of a dialogue. Named groups of `answer`, a regular expression, are facts."""

    send: str = Field(max_length=200)
    answer: str = Field(max_length=400)


class DialogueReach(_Part):
    """A text dialogue on a serial line. Left as found: `leave` is always sent when `enter` was answered.

    `guard_seconds` of silence go before and after `enter`, as escape sequences want.
    `greeting` is a regular expression for what shows that it listens.
    """

    speeds: list[int] = [9600]
    parity: Literal["N", "E", "O"] = "N"
    enter: str = Field(default="\r", max_length=40)
    guard_seconds: float = Field(default=0, ge=0, le=3)
    greeting: str = Field(max_length=200)
    ask: list[Ask] = []
    leave: str = Field(default="", max_length=40)


class Phrase(_Part):
    label: str
    send: str = Field(max_length=400)


class ConsoleReach(_Part):
    """A console for people: over the device's serial line, Telnet or SSH.

    `asks_for_secret` are regular expressions of prompts after which what is typed is kept out of the log.
    """

    kind: Literal["serial", "telnet", "ssh"]
    port: int = Field(default=0, ge=0, le=65535)
    line_end: str = "\r"
    asks_for_secret: list[str] = Field(default=[], max_length=12)
    phrases: list[Phrase] = []


class Reach(_Part):
    """What it answers. The ones without details are known by their own protocol's facts."""

    http: HttpReach | None = None
    osdp: OsdpReach | None = None
    modbus: ModbusReach | None = None
    dialogue: DialogueReach | None = None
    console: ConsoleReach | None = None
    snmp: bool = False
    pjlink: bool = False
    onvif: bool = False
    artnet: bool = False
    sacn: bool = False
    behind: bool = False
    services: list[str] = []
    ports: list[int] = []

    @property
    def named(self) -> list[str]:
        """The protocols by name, the one with a driver first."""
        names = ("http", "osdp", "modbus", "dialogue", "snmp", "pjlink", "onvif", "artnet", "sacn", "behind", "console")
        return [name for name in names if getattr(self, name)]


class Mode(_Part):
    """A firmware mode in which it shows itself in another way, known by these facts."""

    name: str
    facts: dict[str, str]
    note: str = ""


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
    maker_aliases: list[str] = []
    mac_prefixes: list[str] = []
    modes: list[Mode] = []
    match: list[Match] = []
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
        if not self.reach.named:
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
    def order(self) -> dict[str, int]:
        """Where in the file a setting stands."""
        return {path: index for index, path in enumerate(self.by_path)}

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
        return self.reach.named[0]

    def driver_on(self, line_kind: str) -> str:
        """The protocol by which its settings are read and written on such a line; empty where it is only found."""
        if line_kind == "ip" and self.reach.http is not None:
            return "http"
        return "osdp" if line_kind == "serial" and self.reach.osdp is not None else ""

    def mode_of(self, facts: dict[str, str]) -> str:
        """The firmware mode that these facts show; empty for the usual one."""
        folded = {name: value.casefold() for name, value in facts.items()}
        for mode in self.modes:
            if all(folded.get(name) == value.casefold() for name, value in mode.facts.items()):
                return mode.name
        return ""

    @property
    def line_kinds(self) -> tuple[str, ...]:
        """On which kinds of line, or `serial:PROTOCOL`, it can be."""
        kinds = []
        reach = self.reach
        if reach.http or reach.snmp or reach.pjlink or reach.onvif or reach.artnet or reach.sacn:
            kinds.append("ip")
        if reach.console and reach.console.kind != "serial" and "ip" not in kinds:
            kinds.append("ip")
        for name in ("osdp", "modbus", "dialogue"):
            if getattr(reach, name):
                kinds.append(f"serial:{name}")
        if reach.behind:
            kinds.append("behind")
        return tuple(kinds)

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
