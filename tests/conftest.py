"""Fixtures that all tests share: profiles, devices in memory, and a whole demo as processes."""

from __future__ import annotations

import asyncio
import itertools
from collections.abc import Iterator
from functools import cache
from pathlib import Path
from typing import Any

import pytest
from hypothesis import settings

from netloom_core.library.load import Library
from netloom_core.testing.steady_time import SteadyLoop
from netloom_core.testing.virtual_time import VirtualLoop
from tests.demo import FIRST_ROUND, Demo

# Times differ from machine to machine; a hang is caught by the run's own limit.
settings.register_profile("netloom", deadline=None)
settings.load_profile("netloom")

ROOT = Path(__file__).resolve().parents[1]


# Seconds that a file takes about where they are many; and which folders mostly wait for lines instead of keeping the
# processor busy.
ABOUT_S = {
    "standins/models": 240, "browser/first_round": 200, "browser/routing": 190, "laboratory/wire": 180,
    "standins/moving": 160, "scenarios/every_way_in": 145, "standins/serial_methods": 135, "browser/survey": 125,
    "standins/firmware": 115, "scenarios/trouble": 95, "browser/units": 90, "browser/configure": 80,
    "standins/network_methods": 80, "scenarios/survey_of_the_demo": 70, "standins/rdm": 65,
    "scenarios/first_round_cli": 60, "browser/counted": 55, "laboratory/servers": 55, "scenarios/universes": 55,
    "scenarios/keeping": 55, "scenarios/kills": 45, "boundaries/imports": 45, "standins/hostile_answers": 40,
    "standins/by_standard": 35, "made_up/rounds": 30, "core/lines/late": 30, "peers/snmpd": 30,
    "standins/procedures": 30, "standins/late_answers": 25, "laboratory/leases": 25, "server/schema": 25,
    "laboratory/interfaces": 25, "scenarios/server_live": 25, "browser/people": 20, "server/hostile": 20,
}  # fmt: skip
WAITING = ("laboratory", "standins", "made_up", "peers")
# Without a socket the clock jumps; with both ends in one process it stands still while that is kept from running.
LOOPS = {"core/engine": VirtualLoop, **dict.fromkeys(("standins", "made_up", "peers"), SteadyLoop)}


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Files that take minutes are begun first, so that no process is left with one while the others are done. Those
    that keep the processor busy and those that wait go on at the same pace, so that some of both run at any time."""
    files: dict[Path, list[pytest.Item]] = {}
    for item in items:
        files.setdefault(item.path, []).append(item)

    def about(path: Path) -> int:
        return ABOUT_S.get(path.relative_to(ROOT / "tests").as_posix().replace("test_", "").removesuffix(".py"), 3)

    placed: list[tuple[float, Path]] = []
    for waiting in (False, True):
        row = [path for path in files if (path.relative_to(ROOT / "tests").parts[0] in WAITING) is waiting]
        row.sort(key=about, reverse=True)
        begun = list(itertools.accumulate(map(about, row), initial=0))
        placed += [(at / begun[-1], path) for at, path in zip(begun, row, strict=False)]
    items[:] = [item for _, path in sorted(placed) for item in files[path]]


def pytest_asyncio_loop_factories(config: pytest.Config, item: pytest.Item) -> dict[str, Any]:
    path = item.path.as_posix()
    loop = next((loop for folder, loop in LOOPS.items() if f"tests/{folder}/" in path), asyncio.new_event_loop)
    return {"loop": loop}


@cache
def shipped() -> Library:
    """All profiles that ship, read once in a process."""
    return Library.read(ROOT / "profiles")


@pytest.fixture(scope="session")
def library() -> Library:
    return shipped()


@pytest.fixture(scope="module")
def demo(tmp_path_factory: pytest.TempPathFactory, request: pytest.FixtureRequest) -> Iterator[Demo]:
    """Stand-ins and server as processes, in the module's own `NETWORK`, with its `SITE` or, swept, its `SWEPT_SITE`."""
    module = request.module
    swept = getattr(module, "SWEPT_SITE", "")
    running = Demo(tmp_path_factory.mktemp("demo"), module.NETWORK, swept or getattr(module, "SITE", FIRST_ROUND))
    try:
        running.start()
        if swept:
            running.run("sweep", expect=None, timeout=280)
        yield running
    finally:
        running.stop()
