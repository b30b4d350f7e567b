"""A few of the 200 random kills of `bench kills`; and a lock that somebody holds on the records."""

import random
import sqlite3
import time
import urllib.error

import pytest

from tests.demo import Demo
from tests.scenarios.kills import BOXES, call, kill_in_the_middle, planned, promises, settled, somebody_hears

NETWORK = "127.27.10.0/24"


@pytest.mark.parametrize("seed", range(4))
def test_a_kill_at_any_moment_breaks_no_promise(demo: Demo, seed: int) -> None:
    chance, devices_too = random.Random(seed), bool(seed % 2)
    kill_in_the_middle(demo, chance, devices_too=devices_too)
    promises(demo, devices_too=devices_too)
    somebody_hears(demo)


def test_a_lock_that_another_program_holds_is_told_and_nothing_is_lost(demo: Demo) -> None:
    """Longer than the database waits by itself; the run under way goes on by itself afterwards."""
    plan = planned(demo, random.Random(7))
    run = call(demo, "POST", "/api/runs", {"kind": "apply", "plan": plan["id"]})
    db = sqlite3.connect(demo.data / "netloom.sqlite3", isolation_level=None, timeout=5)
    db.execute("BEGIN IMMEDIATE")
    begun = time.monotonic()
    try:
        refused = demo.refused("set", "Car deck box", "/relays/1/idle=closed", expect=5)
        assert refused["code"] == "busy"
        assert "Nothing was changed" in refused["message"]
        assert demo.json("devices")["devices"], "one can still look"
        with pytest.raises(urllib.error.HTTPError, match="503"):
            call(demo, "GET", "/api/ready")
        time.sleep(max(0.0, 25 - (time.monotonic() - begun)))
    finally:
        db.execute("ROLLBACK")
        db.close()
    # A step that could not say on record what it was about to write was not begun; that is told, and planned anew.
    end = promises(demo, devices_too=False)
    shown = call(demo, "GET", f"/api/runs/{run['id']}")
    assert shown["state"] == end
    assert end == "done" or "records cannot be used" in shown["failures"][0]["message"]
    again = call(demo, "POST", "/api/plans", {"kind": "apply", "devices": list(BOXES)})
    settled(demo)
    again = call(demo, "GET", f"/api/plans/{again['id']}")
    if again["steps"]:
        call(demo, "POST", "/api/runs", {"kind": "apply", "plan": again["id"]})
    assert promises(demo, devices_too=False) == "done" or not again["steps"]
    assert call(demo, "GET", "/api/ready")
    somebody_hears(demo)
