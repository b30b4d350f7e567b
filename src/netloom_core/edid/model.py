"""What an EDID says, as plain frozen data."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

Severity = Literal["error", "warning", "note"]


@dataclass(frozen=True)
class Finding:
    """Something about an EDID: `error` is against the standard, `warning` is likely to make a source choose wrongly."""

    severity: Severity
    where: str
    message: str


@dataclass(frozen=True)
class Mode:
    """A way in which a display takes a picture. `clock` is the pixel clock in kHz, 0 where it is not told.

    `said_by` names the part of the EDID; `reckoned` is set where the pixel clock is by the CVT formula, not told.
    """

    width: int
    height: int
    refresh: float
    interlaced: bool = False
    clock: int = 0
    said_by: str = ""
    vic: int = 0
    aspect: str = ""
    native: bool = False
    preferred: bool = False
    only_420: bool = False
    also_420: bool = False
    reckoned: bool = False

    @property
    def label(self) -> str:
        rate = f"{self.refresh:.2f}".rstrip("0").rstrip(".")
        return f"{self.width}x{self.height}{'i' if self.interlaced else ''} {rate} Hz"

    @property
    def size(self) -> tuple[int, int, int, bool]:
        """What two modes must share to be the same to the eye: 59.94 and 60 Hz are one."""
        return self.width, self.height, round(self.refresh), self.interlaced


def tmds_clock(mode: Mode) -> float:
    """What a mode takes of an HDMI link at eight bits a colour, in kHz: half in 4:2:0; short lines are sent twice."""
    twice = 2 if mode.width == 720 and (mode.interlaced or mode.height in (240, 288)) else 1
    return mode.clock * twice * (0.5 if mode.only_420 else 1)


@dataclass(frozen=True)
class Sound:
    """A form of sound by a Short Audio Descriptor (CTA-861-H, 7.5.2). Rates in kHz."""

    form: str
    channels: int
    rates: tuple[float, ...] = ()
    bits: tuple[int, ...] = ()
    most_kbit: int = 0

    @property
    def label(self) -> str:
        words = [self.form, f"{self.channels} ch"]
        if self.rates:
            words.append("/".join(f"{rate:g}" for rate in self.rates) + " kHz")
        if self.bits:
            words.append("/".join(str(b) for b in self.bits) + " bit")
        if self.most_kbit:
            words.append(f"up to {self.most_kbit} kbit/s")
        return ", ".join(words)


@dataclass(frozen=True)
class Hdmi:
    """The vendor's blocks of HDMI. Clocks in kHz, 0 where not told; `frl` in Gbit/s over all lanes.

    `port` is the physical address, `1.0.0.0`.
    """

    port: str = ""
    most_clock: int = 0
    deep_colour: tuple[int, ...] = ()
    deep_444: bool = False
    deep_420: tuple[int, ...] = ()
    forum: bool = False
    scrambling: bool = False
    frl: int = 0
    allm: bool = False
    vrr: tuple[int, int] = (0, 0)


@dataclass(frozen=True)
class Hdr:
    """HDR by CTA-861-H, 7.5.13; luminances in cd/m², 0 where not told."""

    curves: tuple[str, ...] = ()
    most: float = 0.0
    most_average: float = 0.0
    least: float = 0.0


@dataclass(frozen=True)
class Range:
    """Rates that a display follows: vertical in Hz, horizontal in kHz, `most_clock` in kHz."""

    vertical: tuple[int, int]
    horizontal: tuple[int, int]
    most_clock: int = 0


@dataclass(frozen=True)
class Edid:
    """A whole EDID. `bits` is the depth of each colour, 0 where not told; sizes are in mm."""

    version: str = ""
    maker: str = ""
    product: int = 0
    serial: str = ""
    name: str = ""
    text: tuple[str, ...] = ()
    made: str = ""
    digital: bool = True
    interface: str = ""
    bits: int = 0
    width_mm: int = 0
    height_mm: int = 0
    gamma: float = 0.0
    colours: tuple[str, ...] = ()
    limits: Range | None = None
    modes: tuple[Mode, ...] = ()
    preference: tuple[int, ...] = ()
    basic_audio: bool = False
    sounds: tuple[Sound, ...] = ()
    speakers: tuple[str, ...] = ()
    colorimetry: tuple[str, ...] = ()
    hdmi: Hdmi | None = None
    hdr: Hdr | None = None
    dynamic: tuple[str, ...] = ()
    blocks: tuple[str, ...] = ()
    findings: tuple[Finding, ...] = field(default=())

    @property
    def sound(self) -> bool:
        """Whether a source may send sound: only where it is known to be HDMI or says so itself."""
        return self.basic_audio or bool(self.sounds)

    @property
    def sound_by_hdmi(self) -> bool:
        return self.sound and (self.hdmi is not None or self.interface == "DisplayPort")

    @property
    def errors(self) -> list[Finding]:
        return [one for one in self.findings if one.severity == "error"]
