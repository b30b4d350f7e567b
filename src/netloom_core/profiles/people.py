"""What people on site look at and do: lights and sounds, acts by hand, connectors, consoles."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field, model_validator

from netloom_core.types.base import Part

Pattern = Literal["off", "steady", "slow", "fast", "double", "alternating", "chime", "tone"]


class Meaning(Part):
    """One pattern of a light or sound: what it means, and what to do next. `of` is what it is evidence for.

    `says` are words that Netloom knows: `powered`, `starting`, `ready`, `linked`, `no-link`, `no-address`, `fault`,
    `resetting`, `reset`, `updating`, `identified`, `out-of-step`: it is out of step with another one, as a point that
    switches again and again by itself is (see Restless).
    """

    pattern: Pattern
    means: str = Field(max_length=200)
    then: str = Field(default="", max_length=200)
    colour: str = Field(default="", max_length=20)
    says: Literal[
        "", "powered", "starting", "ready", "linked", "no-link", "no-address", "fault", "resetting", "reset",
        "updating", "identified", "out-of-step",
    ] = ""  # fmt: skip


class Light(Part):
    """A light or a sound by the word that is printed at it, and where that is."""

    printed: str = Field(max_length=40)
    where: str = Field(default="", max_length=120)
    kind: Literal["light", "sound", "display"] = "light"
    patterns: list[Meaning] = Field(default=[], max_length=12)


class Act(Part):
    """What a person does at the device: what, for how long, what should come of it, and how Netloom sees that."""

    act: Literal["hold", "press", "switch", "power-cycle", "replug", "turn", "wait"]
    of: list[str] = Field(default=[], max_length=4)
    seconds: float = Field(default=0, ge=0, le=600)
    light: str = Field(default="", max_length=120)
    within: float = Field(default=60, gt=0, le=1800)
    seen_by: Literal["", "silence", "answer", "start-up", "factory-address", "person"] = "person"
    note: str = Field(default="", max_length=200)

    def words(self) -> str:
        things = " and ".join(self.of)
        spell = {
            "hold": f"Hold {things}",
            "press": f"Press {things}",
            "switch": f"Switch {things}",
            "power-cycle": "Take its power away and give it back",
            "replug": f"Pull {things or 'the plug'} and put it back",
            "turn": f"Turn {things}",
            "wait": "Wait",
        }[self.act]
        for_so_long = f" for {self.seconds:g} s" if self.seconds else ""
        until = f", until {self.light}" if self.light else ""
        return f"{spell}{for_so_long}{until}."


class Restless(Part):
    """What it means when a point changes again and again by itself: one of a `kind`, or that of one item (`path`), when
    it `does` one of these; and what to do then. `steps` bring it back, at the device; the proof is that it stands still
    afterwards."""

    does: list[Literal["bounces", "beats", "flutters"]] = ["bounces", "beats", "flutters"]
    kind: str = Field(default="", max_length=20)
    path: str = Field(default="", max_length=200)
    means: str = Field(max_length=300)
    then: str = Field(default="", max_length=300)
    steps: list[Act] = Field(default=[], max_length=8)

    def fits(self, does: str, kind: str, path: str) -> bool:
        return does in self.does and self.kind in ("", kind) and self.path in ("", path)


class Phrase(Part):
    label: str
    send: str = Field(max_length=400)


class Console(Part):
    """A console for people: over the device's serial line, Telnet or SSH.

    `asks_for_secret` are regular expressions of prompts after which what is typed is kept out of the log.
    """

    kind: Literal["serial", "telnet", "ssh"]
    port: int = Field(default=0, ge=0, le=65535)
    speed: int = Field(default=0, ge=0, le=4_000_000)
    framing: str = Field(default="8N1", pattern=r"^[5-8][NEO][12]$")
    flow: Literal["none", "hardware", "software"] = "none"
    line_end: str = "\r"
    wakes: str = Field(default="", max_length=20)
    asks_for_secret: list[str] = Field(default=[], max_length=12)
    phrases: list[Phrase] = []


class Connector(Part):
    """A connector as printed, its terminals in the order in which the device counts them.

    `first` says which end is 1. `axis` is what its terminals count, `excludes` the uses of one terminal that
    cannot be had together.
    """

    printed: str = Field(max_length=40)
    kind: str = Field(max_length=40)
    terminals: list[str] = Field(default=[], max_length=96)
    first: Literal["", "left", "right", "top", "bottom"] = ""
    axis: str = ""
    excludes: list[list[str]] = []
    note: str = Field(default="", max_length=200)


class View(Part):
    """A picture of several items: which axis goes down, which across, which item is in the cell. `meter` is what is
    measured there, beside each level of a bank."""

    kind: Literal["crosspoint", "levels", "curve"]
    label: str = Field(max_length=60)
    down: str = ""
    across: str = ""
    item: str = ""
    meter: str = ""


class Procedure(Part):
    """Something that a device does as a whole. `calls` are by channel; what a person does comes before them.

    `away` is how many seconds it may be gone; `survives` which roles keep their value; `back` how one sees
    that it is there again. `level` is the level of access that its calls need.
    """

    label: str = ""
    level: str = ""
    calls: dict[str, list[Any]] = {}
    by_hand: list[Act] = Field(default=[], max_length=12)
    away: float = Field(default=0, ge=0, le=1800)
    survives: list[Literal["address", "name", "password", "settings"]] = []
    back: Literal["", "identity", "person"] = "identity"
    disturbs: list[str] = []

    @model_validator(mode="after")
    def _does_something(self) -> Procedure:
        if not self.calls and not self.by_hand:
            raise ValueError("it calls nothing, and nobody does anything by hand")
        return self
