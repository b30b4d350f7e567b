"""Fixtures that all tests share: profiles, devices in memory, and a whole demo as processes."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from hypothesis import settings

from netloom_core.model.device import Identity, Target
from netloom_core.model.line import Line
from netloom_core.plan.documents import put
from netloom_core.profiles.defaults import default_document
from netloom_core.profiles.load import Library
from netloom_core.testing.memory import MemoryDevice
from tests.demo import Demo

# Times differ from machine to machine; a hang is caught by the run's own limit.
settings.register_profile("netloom", deadline=None)
settings.load_profile("netloom")

ROOT = Path(__file__).resolve().parents[1]
NET = Line("net", "Net", "ip", network="127.20.10.0/24", source="127.20.10.1")


@pytest.fixture(scope="session")
def library() -> Library:
    return Library.read(ROOT / "profiles")


@pytest.fixture
def box(library: Library) -> MemoryDevice:
    """A relay box in memory at 127.20.10.11."""
    profile = library.need("hallvane-rx8")
    running = default_document(profile)
    put(running, "/network/address", "127.20.10.11")
    return MemoryDevice(profile, "127.20.10.11", running, Identity("Hallvane", "RX8", "HV-1"))


@pytest.fixture
def target(box: MemoryDevice) -> Target:
    return Target("dev1", "Box one", box.profile.id, line=NET, address=box.address, identity_key=box.identity.key)


@pytest.fixture(scope="module")
def demo(tmp_path_factory: pytest.TempPathFactory, request: pytest.FixtureRequest) -> Iterator[Demo]:
    """Stand-ins and server as processes, in a network of the module's own (`NETWORK`)."""
    running = Demo(tmp_path_factory.mktemp("demo"), request.module.NETWORK)
    running.start()
    yield running
    running.stop()
