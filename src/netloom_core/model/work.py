"""Runs and steps as records: plain data that a store keeps and a screen shows."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from netloom_core.model.secrets import masked

PENDING, ACTING, DONE, UNPROVEN = "pending", "acting", "done", "unproven"
FAILED, SKIPPED, UNKNOWN = "failed", "skipped", "unknown"
SETTLED = frozenset({DONE, UNPROVEN, FAILED, SKIPPED, UNKNOWN})
GOOD = frozenset({DONE, UNPROVEN})
WAITING, RUNNING, CANCELLED = "waiting", "running", "cancelled"
LIVE = frozenset({WAITING, RUNNING})


@dataclass
class StepState:
    """One step of a run on one device.

    `action` names the step's kind in `run/steps`; `params` is its JSON data. `state` goes
    pending, acting, then one of done, unproven, failed, skipped, unknown. `unproven` is what no
    reading could show; `unknown` is what nobody knows.
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

    def copy(self) -> StepState:
        """As it stands now, for whoever keeps it; its parts are shared, since a step replaces them whole."""
        return StepState(
            self.ordinal,
            self.device,
            self.action,
            self.params,
            self.state,
            self.message,
            self.hint,
            self.code,
            self.evidence,
        )

    def shown(self) -> dict[str, Any]:
        """As people see it: what it changed with what was read back, else what it is to change; no secrets."""
        return {
            "ordinal": self.ordinal,
            "device": self.device,
            "action": self.action,
            "state": self.state,
            "message": self.message,
            "try": self.hint,
            "code": self.code,
            "changes": without_secrets(self.evidence.get("changes") or self.params.get("changes", [])),
            "disturbs": self.params.get("disturbs", []),
            "lost": self.evidence.get("settings", []),
            "asks": self.evidence.get("asks"),
            "waits": self.evidence.get("waits"),
            "sends": self.evidence.get("sends") if self.state == ACTING else None,
            "look_at": self.params.get("look_at", []) if self.state == ACTING else [],
            "note": self.params.get("note", ""),
        }


def without_secrets(changes: Iterable[Mapping[str, Any]]) -> list[dict[str, Any]]:
    """Changes without what may not be shown."""
    return [
        {name: masked(value) if name in ("from", "to", "read_back") else value for name, value in change.items()}
        for change in changes
    ]


@dataclass
class RunState:
    """A piece of work. `state`: waiting, running, then done, failed, cancelled."""

    id: str
    kind: str
    by: str
    params: dict[str, Any] = field(default_factory=dict)
    state: str = WAITING
    steps: list[StepState] = field(default_factory=list)
    result: dict[str, Any] = field(default_factory=dict)
    message: str = ""


class JournalEntry(NamedTuple):
    """What was about to be written (`intent`), what came of it (`outcome`), or what somebody did here (`act`).

    An outcome names its intent by `intent`, and each intent gets one. `changes` holds dicts of
    path, from, to, and in an outcome read_back. Secrets are in it as references only.
    """

    kind: str
    run: str
    device: str
    line: str
    address: str
    action: str
    by: str
    intent: str
    step: int = -1
    outcome: str = ""
    message: str = ""
    changes: tuple[dict[str, Any], ...] = ()

    def as_dict(self) -> dict[str, Any]:
        return {**self._asdict(), "changes": list(self.changes)}
