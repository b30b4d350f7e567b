"""Changes of place that are cut off at each of their calls, and random plans with something going wrong."""

from __future__ import annotations

import pytest

from netloom_core.library.load import Library
from tests.core.moves_in_trouble import carried_out, one_round, planned, promises
from tests.core.trouble import Trouble

RANDOM = 80


@pytest.mark.parametrize("what", ["kill", "kill and power", "power"])
@pytest.mark.parametrize("places", [{1: 5}, {1: 2, 2: 1}], ids=["alone", "exchanged"])
async def test_it_is_cut_off_at_each_of_its_calls(library: Library, what: str, places: dict[int, int]) -> None:
    """Each time it ends proven or put back, and the journal says which."""
    ended = []
    for when in range(1, 400):
        rig = planned(library, places)
        trouble = Trouble(what, when)
        run = await carried_out(rig, trouble)
        promises(rig, run, trouble)
        ended.append(run.state)
        if not trouble.happened:
            break
    assert not trouble.happened, "all of its calls were tried"
    assert when > 10
    assert ended.count("done") > len(ended) // 2, "most of the time nothing is lost but time"


@pytest.mark.parametrize("seed", range(RANDOM))
async def test_random_plans_with_something_going_wrong_lose_nobody(library: Library, seed: int) -> None:
    await one_round(library, seed)
