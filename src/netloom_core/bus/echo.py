"""Adapters that give back what is sent: one's own bytes are told apart from an answer. Pure."""

from __future__ import annotations

from netloom_core.protocols.framing import CRACKLE


class EchoFilter:
    """Takes what arrives after a request; gives it on without the request itself, and what its driver left before it.

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
        for start in range(min(CRACKLE, len(self._held)) + 1):
            rest = self._held[start:]
            if rest.startswith(self.sent):
                self.echoed = True
                self.release()
                return rest[len(self.sent) :]
            if self.sent.startswith(rest):
                return b""
        return self.release()

    def release(self) -> bytes:
        """What was held, where nothing more comes that would decide it."""
        self._decided = True
        held, self._held = self._held, b""
        return held
