"""Telling a line on which bytes come that nobody was asked for from two units on one address.

Two units that answer at once spoil one address. Where address after address is spoiled, nobody is there
twice: something talks all the time, or the levels are wrong, and each of them would look like a pair.
"""

from __future__ import annotations

from netloom_core.sweep.base import Look

IN_A_ROW = 6  # spoiled addresses that are no pairs any more
RARE = 4  # silent ones in a row that show it: a busy computer may hear one of them too late


class Noise:
    """What a scan makes of spoiled answers. They are told when a sound answer or silence shows that they are rare."""

    def __init__(self, look: Look, method: str) -> None:
        self._look, self._method = look, method
        self._held: dict[int, list[str]] = {}  # by speed
        self._silent: dict[int, int] = {}  # since the last spoiled one, by speed
        self._noisy: set[int] = set()

    def spoiled(self, address: str, speed: int) -> None:
        held = self._held.setdefault(speed, [])
        self._silent[speed] = 0
        if address not in held:
            held.append(address)
        if len(held) >= IN_A_ROW and speed not in self._noisy:
            self._noisy.add(speed)
            self._look.sight(held[0], self._method, noise="yes", speed=str(speed))
            said = f"At {speed} baud bytes come that make no sense, whoever is asked"
            self._look.note(f"{said}: the rest was not asked at that speed.")

    def silent(self, speed: int) -> None:
        """Nothing came. Where that is so of some in a row, what was spoiled before is somebody."""
        self._silent[speed] = self._silent.get(speed, 0) + 1
        if self._silent[speed] >= RARE:
            self.sound(speed)

    def sound(self, speed: int) -> None:
        """An answer that was understood: what was spoiled there before is somebody."""
        held = self._held.pop(speed, [])
        for address in held if speed not in self._noisy else ():
            self._look.sight(address, self._method, speed=str(speed), garbled="yes")

    def end(self) -> None:
        """Nobody is asked any more."""
        for speed in list(self._held):
            self.sound(speed)

    def at(self, speed: int) -> bool:
        """Whether asking on at that speed is useless."""
        return speed in self._noisy
