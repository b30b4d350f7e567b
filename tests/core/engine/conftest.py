"""Tests here run in virtual time (see tests/conftest.py): nothing waits, and nothing may touch a socket."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest

from netloom_core.documents.tree import put
from netloom_core.library.load import Library
from netloom_core.profiles.people import Procedure
from netloom_core.testing.rig import ALL, Rig, device

TOLD = replace(ALL, procedures=frozenset({"restart", "factory-reset", "identify"}))
CALLS: dict[str, list[Any]] = {"web": [{"method": "POST", "path": "/do"}]}


@pytest.fixture
def rig(library: Library) -> Rig:
    """One healthy relay box."""
    return Rig(library, [device(library.need("hallvane-rx8"))])


@pytest.fixture
def told(library: Library) -> Rig:
    """Two boxes that can be told to do everything, and take two seconds to start."""
    usual = library.need("hallvane-rx8")
    made = {
        "restart": usual.procedures["restart"],
        "factory-reset": Procedure(calls=CALLS, away=4, survives=["name"]),
        "identify": Procedure(calls=CALLS, back="person"),
    }
    model = usual.model_copy(update={"procedures": made})
    return _rig(Library([*(one for one in library if one.id != model.id), model]), TOLD)


@pytest.fixture
def by_hand(library: Library) -> Rig:
    """A box as it ships: it is set back by a button and its plug."""
    return _rig(library, ALL)


def _rig(library: Library, abilities: Any) -> Rig:
    boxes = [device(library.need("hallvane-rx8"), n, abilities=abilities, boots_in=2.0) for n in (1, 2)]
    for box in boxes:
        put(box.running, "/relays/1/pulse_ms", 900)
        put(box.startup, "/relays/1/pulse_ms", 900)
        put(box.running, "/name", "Gate")
        put(box.startup, "/name", "Gate")
    return Rig(library, boxes)
