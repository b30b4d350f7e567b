"""Ten whole runs of the tests in a row, in a fresh clone of the last commit, with two busy loops beside them.

Only by name, `python -m bench busy`: it takes up to two hours, and nothing else should run meanwhile.
"""

from __future__ import annotations

import subprocess
import sys
import tempfile
import time
from pathlib import Path

from bench.field import ROOT

RUNS = 10
LOOPS = 2
LAST = 60  # lines of a run that was not green


def main() -> None:
    rounds(RUNS)


def rounds(runs: int, *words: str) -> None:
    """So many runs of `./netloom test` with these words; ends with the first that is not green."""
    with tempfile.TemporaryDirectory() as folder:
        clone = Path(folder) / "netloom"
        subprocess.run(["git", "clone", "--quiet", str(ROOT), str(clone)], check=True)
        loops = [subprocess.Popen([sys.executable, "-c", "while True: pass"]) for _ in range(LOOPS)]
        try:
            for number in range(1, runs + 1):
                begun = time.monotonic()
                test = [str(clone / "netloom"), "test", *words]
                done = subprocess.run(test, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True)
                told, seconds = done.stdout.rstrip().splitlines() or [""], time.monotonic() - begun
                print(f"busy       {number} of {runs}: {told[-1]} ({seconds:.0f} s in all)", flush=True)
                if done.returncode:
                    sys.exit("\n".join(told[-LAST:]))
        finally:
            for loop in loops:
                loop.kill()
                loop.wait()
