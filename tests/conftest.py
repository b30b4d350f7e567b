"""Fixtures that all tests share: profiles, devices in memory, and a whole demo as processes."""

from __future__ import annotations

import asyncio
from collections.abc import Iterator
from functools import cache
from itertools import zip_longest
from pathlib import Path
from typing import Any

import pytest
from hypothesis import settings

from netloom_core.library.load import Library
from netloom_core.testing.steady_time import SteadyLoop
from netloom_core.testing.virtual_time import VirtualLoop
from tests.demo import Demo

# Times differ from machine to machine; a hang is caught by the run's own limit.
settings.register_profile("netloom", deadline=None)
settings.load_profile("netloom")

ROOT = Path(__file__).resolve().parents[1]


# Folders whose tests keep the processor busy, and those whose tests mostly wait for lines, longest first.
BUSY, WAITING = ("browser", "scenarios", "server"), ("standins", "laboratory", "made_up", "peers")
# Without a socket the clock jumps; with both ends in one process it stands still while that is kept from running.
LOOPS = {"core/engine": VirtualLoop, **dict.fromkeys(("standins", "made_up", "peers"), SteadyLoop)}


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Files that take minutes are begun first, so that no process is left with one while the others are done; those
    that keep the processor busy and those that wait by turns, since several run at a time."""
    files: dict[Path, list[pytest.Item]] = {}
    for item in items:
        files.setdefault(item.path, []).append(item)

    def of(folders: tuple[str, ...]) -> list[Path]:
        return [path for folder in folders for path in files if path.parent.name == folder]

    turns = [path for pair in zip_longest(of(BUSY), of(WAITING)) for path in pair if path is not None]
    rest = [path for path in files if path not in set(turns)]
    items[:] = [item for path in [*turns, *rest] for item in files[path]]


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
    """Stand-ins and server as processes, in a network of the module's own (`NETWORK`)."""
    running = Demo(tmp_path_factory.mktemp("demo"), request.module.NETWORK)
    running.start()
    yield running
    running.stop()
