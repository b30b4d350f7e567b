"""The form of a description, and where descriptions are."""

from __future__ import annotations

from functools import cache
from pathlib import Path
from typing import Any

import yaml
from pydantic import BaseModel, ConfigDict, Field

from netloom_standins.described.loading import FirmwareForm
from netloom_standins.described.memory import Cell, Forbidden, spread

FOLDER = Path(__file__).resolve().parents[3] / "demo" / "models"


class Presets(BaseModel):
    """Its own presets: driven to a number, `recall` puts what `holds` of it into the `cells`, `save` the other way."""

    model_config = ConfigDict(extra="forbid")

    recall: str
    save: str
    cells: str
    holds: str  # with {preset}

    def pairs(self, number: int) -> list[tuple[str, str]]:
        kept = spread(self.holds.replace("{preset}", str(number)))
        return list(zip(spread(self.cells), kept, strict=True))


class Growth(BaseModel):
    """A counter that goes up by so much a second, `while_` another value is that word."""

    model_config = ConfigDict(extra="forbid", populate_by_name=True)

    per_second: int
    while_: str = Field(alias="while")
    word: str

    def pairs(self, path: str) -> list[tuple[str, str]]:
        return list(zip(spread(path), spread(self.while_), strict=True))


class Fed(BaseModel):
    """It shows a `text` that it is told for as long as it is told again within `after` seconds, and says so: its
    `source` is outside then and its `keys` are off. Then it shows its `own`."""

    model_config = ConfigDict(extra="forbid")

    text: str
    own: str
    source: str
    keys: str
    after: float


class Description(BaseModel):
    """`calls_itself` are words that its faces tell by `{name}`. `boot` is how long it takes to start, in seconds.

    `announces` are a DNS-SD service and its port.

    `address_at`, `speed_at`, `unit_at` are the paths that say where it is reached; `pulses` end by themselves.
    """

    model_config = ConfigDict(extra="forbid")

    model: str
    calls_itself: dict[str, str] = {}
    nameless: bool = False  # it tells no serial number
    boot: float = 0.6
    own_port: bool = False  # on USB, as a port of its own: that is there while it is on
    memory: dict[str, Cell]
    address_at: str = ""
    speed_at: str = ""
    unit_at: str = ""
    says_at_start: list[str] = []
    announces: tuple[str, int] | None = None
    survives: list[str] = []  # paths that a reset leaves as they are
    wireless: dict[str, str] = {}  # where it has its mode, name, passphrase and link of a wireless network
    forbids: list[Forbidden] = []  # what may not stand together
    signals: dict[str, dict[str, Any]] = {}  # its jacks: see picture.py
    presets: Presets | None = None
    fed: Fed | None = None
    grows: dict[str, Growth] = {}
    follows: dict[str, dict[str, list[Any]]] = {}
    firmware: FirmwareForm | None = None
    faces: list[dict[str, Any]] = []

    @property
    def stays(self) -> frozenset[str]:
        return frozenset(one for path in self.survives for one in spread(path))


def load(path: Path) -> Description:
    return Description.model_validate(yaml.load(path.read_text(), yaml.CSafeLoader))


@cache
def descriptions(folder: Path = FOLDER) -> dict[str, Description]:
    """All of them, by the model that they are of."""
    found = [load(path) for path in sorted(folder.glob("*.yaml"))]
    return {one.model: one for one in found}
