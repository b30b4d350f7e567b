"""Runs and steps as records: plain data that a host stores and a screen shows."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

PENDING, ACTING, DONE, FAILED, SKIPPED, UNKNOWN = "pending", "acting", "done", "failed", "skipped", "unknown"
SETTLED = frozenset({DONE, FAILED, SKIPPED, UNKNOWN})


@dataclass
class StepState:
    """One step of a run on one device.

    `action` names the step's kind in `plan/steps`; `params` is its JSON data. `state`
    goes pending, acting, then one of done, failed, skipped, unknown.
    """

    ordinal: int
    device: str
    action: str
    params: dict[str, Any] = field(default_factory=dict)
    state: str = PENDING
    message: str = ""
    hint: str = ""
    code: str = ""
    evidence: dict[str, Any] = field(default_factory=dict)


@dataclass
class RunState:
    """A piece of work. `state`: waiting, running, then done, failed, cancelled."""

    id: str
    kind: str
    by: str
    params: dict[str, Any] = field(default_factory=dict)
    state: str = "waiting"
    steps: list[StepState] = field(default_factory=list)
    result: dict[str, Any] = field(default_factory=dict)
    message: str = ""


@dataclass(frozen=True)
class JournalEntry:
    """What was about to be written (`intent`) or what came of it (`outcome`).

    `changes` holds dicts of path, from, to, and in an outcome read_back. Secrets are
    never in it.
    """

    kind: str
    run: str
    device: str
    line: str
    address: str
    action: str
    by: str
    outcome: str = ""
    message: str = ""
    changes: tuple[dict[str, Any], ...] = ()
