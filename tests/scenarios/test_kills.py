"""A few of the 200 random kills of `bench kills`."""

import random

import pytest

from tests.demo import Demo
from tests.scenarios.kills import kill_in_the_middle, promises, somebody_hears

NETWORK = "127.27.10.0/24"


@pytest.mark.parametrize("seed", range(4))
def test_a_kill_at_any_moment_breaks_no_promise(demo: Demo, seed: int) -> None:
    chance, devices_too = random.Random(seed), bool(seed % 2)
    kill_in_the_middle(demo, chance, devices_too=devices_too)
    promises(demo, devices_too=devices_too)
    somebody_hears(demo)
