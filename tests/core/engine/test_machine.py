"""The state machine in small; `python -m bench machine` runs 10,000 examples of it."""

from hypothesis import HealthCheck, settings

from tests.core.machine import EngineMachine

TestEngine = EngineMachine.TestCase
TestEngine.settings = settings(
    max_examples=200, stateful_step_count=12, deadline=None, suppress_health_check=list(HealthCheck)
)
