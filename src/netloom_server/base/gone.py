"""Whether somebody still waits for the answer that is being made; long work looks now and then."""

from __future__ import annotations

import threading
from contextvars import ContextVar

GONE: ContextVar[threading.Event | None] = ContextVar("netloom_gone", default=None)


def nobody_waits() -> bool:
    gone = GONE.get()
    return gone is not None and gone.is_set()
