"""Tests here run in virtual time (see tests/conftest.py): nothing waits, and nothing may touch a socket."""

from __future__ import annotations

import pytest

from netloom_core.library.load import Library
from netloom_core.testing.rig import Rig, device


@pytest.fixture
def rig(library: Library) -> Rig:
    """One healthy relay box."""
    return Rig(library, [device(library.need("hallvane-rx8"))])
