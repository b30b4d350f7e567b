"""What the present piece of work belongs to, so that whoever writes a log can say so."""

from __future__ import annotations

from contextvars import ContextVar

RUN: ContextVar[str] = ContextVar("netloom_run", default="")  # the id of the run that a task works for
