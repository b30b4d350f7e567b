"""200 random kills of the server in the middle of writes while others look, every second one with the devices."""

from __future__ import annotations

import random
import tempfile
import time
from collections import Counter
from pathlib import Path

from tests.demo import Demo
from tests.scenarios.kills import kill_in_the_middle, promises, somebody_hears

KILLS = 200
NETWORK = "127.61.10.0/24"


def main() -> None:
    begun, ends = time.monotonic(), Counter[str]()
    with tempfile.TemporaryDirectory() as folder:
        demo = Demo(Path(folder), NETWORK)
        demo.start()
        try:
            for number in range(KILLS):
                devices_too = bool(number % 2)
                kill_in_the_middle(demo, random.Random(number), devices_too=devices_too)
                ends[promises(demo, devices_too=devices_too)] += 1
                if number % 10 == 0:
                    somebody_hears(demo)
        finally:
            demo.stop()
    print(f"kills      {KILLS} in {time.monotonic() - begun:.0f} s: every promise held; the writes ended {dict(ends)}")
