"""What is put together while an EDID is read."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from netloom_core.edid.model import Edid, Finding, Mode, Severity

MOST = 60  # findings of one EDID: one that is nothing but mistakes has no end of them


class Building:
    def __init__(self) -> None:
        self.told: dict[str, Any] = {}
        self.text: list[str] = []
        self.modes: list[Mode] = []
        self.codes: list[int] = []  # VICs in the order of the video data blocks, for the map of 4:2:0
        self.preference: list[int] = []  # short video references: codes of 8 bits
        self.detailed: list[Mode] = []
        self.findings: list[Finding] = []
        self.preferred = self.native = self.continuous = False

    def error(self, where: str, message: str) -> None:
        self._find("error", where, message)

    def warn(self, where: str, message: str) -> None:
        self._find("warning", where, message)

    def note(self, where: str, message: str) -> None:
        self._find("note", where, message)

    def _find(self, severity: Severity, where: str, message: str) -> None:
        one = Finding(severity, where, message)
        if one not in self.findings and len(self.findings) < MOST:
            self.findings.append(one)

    def mode(self, mode: Mode) -> None:
        self.modes.append(mode)
        if mode.said_by == "detailed timing":
            self.detailed.append(mode)

    def size(self, across: int, down: int) -> None:
        self.told["width_mm"], self.told["height_mm"] = across, down

    def exact_size(self, across: int, down: int) -> None:
        """The millimetres of the first detailed timing, where they are a size and not a shape such as 16 by 9."""
        if across > 20 and down > 20:
            self.size(across, down)

    def add(self, key: str, *values: Any) -> None:
        self.told[key] = (*self.told.get(key, ()), *(one for one in values if one not in self.told.get(key, ())))

    def done(self) -> Edid:
        if self.modes and not any(mode.preferred for mode in self.modes) and self.detailed:
            first = self.modes.index(self.detailed[0])
            self.modes[first] = replace(self.modes[first], preferred=True)
        return Edid(
            **self.told,
            text=tuple(self.text),
            modes=tuple(self.modes),
            preference=tuple(self.preference),
            findings=tuple(self.findings),
        )
