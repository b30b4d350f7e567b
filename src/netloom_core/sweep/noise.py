"""Telling a line on which bytes come that nobody was asked for from two units on one address.

Two units that answer at once spoil one address. Where address after address is spoiled, nobody is there
twice: something talks all the time, or the levels are wrong, and each of them would look like a pair.
"""

from __future__ import annotations

from netloom_core.sweep.base import Look

IN_A_ROW = 6  # spoiled addresses that are no pairs any more


class Noise:
    """What a scan makes of spoiled answers. They are told when a sound answer or silence shows that they are rare."""

    def __init__(self, look: Look, method: str) -> None:
        self._look, self._method = look, method
        self._held: list[tuple[str, int]] = []
        self._noisy: set[int] = set()

    def spoiled(self, address: str, speed: int) -> None:
        if self._held and self._held[-1][1] != speed:
            self.sound()
        if (address, speed) not in self._held:
            self._held.append((address, speed))
        if len(self._held) >= IN_A_ROW and speed not in self._noisy:
            self._noisy.add(speed)
            first, self._held = self._held[0][0], []
            self._look.sight(first, self._method, noise="yes", speed=str(speed))
            said = f"At {speed} baud bytes come that make no sense, whoever is asked"
            self._look.note(f"{said}: the rest was not asked at that speed.")

    def sound(self) -> None:
        """An answer that was understood, or none at all: what was spoiled before is somebody."""
        for address, speed in self._held:
            self._look.sight(address, self._method, speed=str(speed), garbled="yes")
        self._held = []

    def at(self, speed: int) -> bool:
        """Whether asking on at that speed is useless."""
        return speed in self._noisy
