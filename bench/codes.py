"""2,000 random changes of the codes of a device with three levels, with something going wrong in the middle of each."""

from __future__ import annotations

import logging
import time

from tests.core.codes_in_trouble import one_round

from bench.field import ROOT
from netloom_core.library.load import Library
from netloom_core.testing.virtual_time import run

COUNT = 2000


def main() -> None:
    logging.disable(logging.CRITICAL)
    library = Library.read(ROOT / "profiles")
    begun = time.perf_counter()
    wrong = [said for seed in range(10_000, 10_000 + COUNT) if (said := run(one_round(library, seed)))]
    logging.disable(logging.NOTSET)
    print(f"{'codes':<10} {len(wrong)} of {COUNT} changes locked somebody out, {time.perf_counter() - begun:.0f} s")
    for said in wrong[:10]:
        print(f"    {said}")
