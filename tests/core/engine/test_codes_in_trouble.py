"""Whatever happens while codes are changed, nobody is locked out."""

from __future__ import annotations

import pytest

from netloom_core.library.load import Library
from tests.core.codes_in_trouble import one_round

ROUNDS = 25


@pytest.mark.parametrize("part", range(8))
async def test_nobody_is_locked_out(library: Library, part: int) -> None:
    wrong = [said for seed in range(part * ROUNDS, (part + 1) * ROUNDS) if (said := await one_round(library, seed))]
    assert wrong == []
