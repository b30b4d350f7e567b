"""Adapters that give back what is sent: one's own bytes are told apart from an answer. Pure."""

from __future__ import annotations


class EchoFilter:
    """Takes what arrives after a request; gives it on without the request itself.

    Bytes that may still be the echo are held until that is decided, since an answer can begin
    with the same ones.
    """

    def __init__(self, sent: bytes) -> None:
        self.sent = sent
        self._held = b""
        self._decided = False
        self.echoed = False

    @property
    def held(self) -> int:
        """How many bytes may still be the echo."""
        return len(self._held)

    def feed(self, arrived: bytes) -> bytes:
        if self._decided:
            return arrived
        self._held += arrived
        if len(self._held) < len(self.sent) and self.sent.startswith(self._held):
            return b""
        self._decided = True
        held, self._held = self._held, b""
        self.echoed = held.startswith(self.sent)
        return held[len(self.sent) :] if self.echoed else held
