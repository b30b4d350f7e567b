"""Planning the places of 1,000 devices by the rules of their line, and again after one edit; 1,000 random plans of
moves with something going wrong in the middle of each."""

from __future__ import annotations

import dataclasses
import logging
import time
from collections.abc import Callable

from tests.core.moves_in_trouble import one_round

from bench.field import ROOT
from netloom_core.addressing.checks import check_line
from netloom_core.addressing.planning import LinePlan, Resident
from netloom_core.addressing.rules import Rules
from netloom_core.library.load import Library
from netloom_core.model.line import Line
from netloom_core.testing.virtual_time import run

COUNT = 1000
ROUNDS = 7
PLAN_S = 0.5
AGAIN_S = 0.05
TROUBLED = 1000
KINDS = ("relay box", "camera", "display", "matrix")


def crowd() -> list[Resident]:
    """Half of them at a good place, a quarter elsewhere, a quarter nowhere yet."""
    made = []
    for n in range(COUNT):
        kind = n % len(KINDS)
        at = (f"127.60.{kind * 4 + n // 1000}.{n // 4 + 1}", f"127.60.15.{n % 250 + 1}", "", "")[n % 4 if n % 3 else 0]
        has = {"name": f"box-{n}" if n % 2 else f"{KINDS[kind].replace(' ', '-')}-{n:04}"}
        made.append(Resident(f"d{n}", f"Box {n}", kind=KINDS[kind], at=at, has=has, fitted=bool(at)))
    return made


def fastest(work: Callable[[], object]) -> float:
    times = []
    for _ in range(ROUNDS):
        begun = time.perf_counter()
        work()
        times.append(time.perf_counter() - begun)
    return min(times)


def main() -> None:
    line = Line("net", "Net", "ip", network="127.60.0.0/20", source="127.60.0.1")
    rules = Rules.read(
        {
            "ranges": [
                {"first": f"127.60.{at * 4}.2", "last": f"127.60.{at * 4 + 2}.255", "kind": kind}
                for at, kind in enumerate(KINDS)
            ],
            "pool": {"first": "127.60.15.0", "last": "127.60.15.254"},
            "names": "{kind}-{n:04}",
        }
    )
    residents = crowd()
    every = [one.device for one in residents]
    made = LinePlan(line, rules, residents).propose(every)
    assert len({one.address for one in made}) == COUNT
    to = {one.device: one.address for one in made}
    settled = [dataclasses.replace(one, at=to[one.device]) for one in residents]
    edited = [dataclasses.replace(settled[0], at="127.60.15.9"), *settled[1:]]

    whole = fastest(lambda: LinePlan(line, rules, residents).propose(every))
    again = fastest(lambda: LinePlan(line, rules, edited).propose([edited[0].device]))
    checked = fastest(lambda: check_line(line, rules, settled))
    print(
        f"places   {COUNT} planned in {whole * 1000:.0f} ms (at most {PLAN_S * 1000:.0f}), again after one edit "
        f"{again * 1000:.1f} ms (at most {AGAIN_S * 1000:.0f}), checked in {checked * 1000:.0f} ms"
    )
    in_trouble()


def in_trouble() -> None:
    """Raises where a device is lost, or is called proven and is not."""
    logging.disable(logging.ERROR)
    library = Library.read(ROOT / "profiles")
    begun = time.perf_counter()
    happened = sum(run(one_round(library, 10_000 + seed)) for seed in range(TROUBLED))
    logging.disable(logging.NOTSET)
    print(
        f"moves    {TROUBLED} random plans, {happened} of them with something going wrong in the middle: nobody lost, "
        f"none wrongly proven   {time.perf_counter() - begun:.0f} s"
    )
