"""Whatever bytes come: an EDID with findings, or a typed refusal."""

from __future__ import annotations

from netloom_core.edid.choose import Source, pick, promised_in_vain
from netloom_core.edid.model import Edid
from netloom_core.edid.parse import NoEdid, parse
from tests.core.edid.mutated import mutated


def test_none_breaks_it() -> None:
    read = 0
    for data in mutated(4_000, seed=20261127):
        try:
            said = parse(data)
        except NoEdid:
            continue
        read += 1
        assert isinstance(said, Edid)
        assert len(said.findings) <= 60
        pick(said, Source(most_clock=300_000))
        promised_in_vain(said, [("a display", said)])
    assert read > 2_000, "most of them still are EDIDs"
