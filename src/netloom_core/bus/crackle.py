"""Bytes that drivers leave on a two-wire line as they are switched on and off, where nothing holds its level between.

Whoever asks has its own driver switched off, who answers has another one switched on: so a few bytes may stand before
an answer, and come after each question to nobody.
"""

from __future__ import annotations

from netloom_core.bus.timing import PIECES_S, REST_S

OFTEN = 3


class Crackle:
    """What is known of one line."""

    def __init__(self) -> None:
        self._alone = 0

    def nothing_followed(self) -> None:
        self._alone += 1

    @property
    def often(self) -> bool:
        """Whether it comes without any answer: nobody has to be waited for because of it."""
        return self._alone >= OFTEN

    def rest(self, took: float) -> float:
        """How long the rest of what may have begun is waited for; `took` are the seconds that it has on the line."""
        return took + (PIECES_S if self.often else REST_S)
