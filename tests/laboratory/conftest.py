"""A wire for each test, and a desk on it. Where the system forbids namespaces nothing is tried, and that is said."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import pytest

from tests.laboratory.wire import Desk, Wire, allowed

MakeWire = Callable[..., Wire]


def mac(number: int) -> str:
    return f"00:50:c2:00:{1 + (number >> 8):02x}:{number & 255:02x}"


@pytest.fixture
def make_wire() -> Iterator[MakeWire]:
    if not allowed():
        pytest.skip("this system allows no network namespaces, so nothing was tried on a real Ethernet")
    made: list[Wire] = []

    def make(prefix: int = 24) -> Wire:
        made.append(Wire(prefix))
        return made[-1]

    yield make
    for wire in made:
        wire.close()


@pytest.fixture
def wire(make_wire: MakeWire) -> Wire:
    return make_wire()


@pytest.fixture
def desk(wire: Wire) -> Desk:
    return Desk(wire)
