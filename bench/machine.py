"""The engine's state machine (tests/core/machine.py), 10,000 examples of it."""

from __future__ import annotations

import logging
import time

from hypothesis import HealthCheck, settings
from hypothesis.stateful import run_state_machine_as_test
from tests.core.machine import EngineMachine

EXAMPLES = 10_000


def main() -> None:
    logging.disable(logging.CRITICAL)  # what breaks on purpose is logged, ten thousand times
    begun = time.perf_counter()
    chosen = settings(
        max_examples=EXAMPLES, stateful_step_count=12, deadline=None, database=None,
        suppress_health_check=list(HealthCheck),
    )  # fmt: skip
    run_state_machine_as_test(EngineMachine, settings=chosen)
    print(f"machine    {EXAMPLES} examples in {time.perf_counter() - begun:.0f} s: every promise held")
