"""Presets against what is, and a device's own presets matched with ours."""

from __future__ import annotations

from netloom_core.library.load import Library
from netloom_core.routing.presets import Cell, compare, matching, own_presets

CELLS = [Cell("M", "/outputs/1/source", "2"), Cell("M", "/outputs/2/source", "3"), Cell("N", "/outputs/1/source", "1")]


def test_each_cell_is_compared_and_what_nobody_knows_is_neither() -> None:
    now = {("M", "/outputs/1/source"): "2", ("M", "/outputs/2/source"): "2"}
    assert [(one.verdict, one.now) for one in compare(CELLS, now)] == [
        ("same", "2"), ("differs", "2"), ("unknown", None)
    ]  # fmt: skip


def test_a_devices_own_presets_are_read_and_matched(library: Library) -> None:
    profile = library.need("corrain-mx88")
    facts = {f"/presets/3/outputs/{n}": n for n in range(1, 9)} | {"/presets/4/outputs/1": 7}
    own = own_presets(profile, facts)
    assert [one.number for one in own] == [1, 2, 3, 4]
    assert own[2].cells["/outputs/2/source"] == "2"
    assert own[0].cells == {}
    same = [
        Cell("M", "/outputs/1/source", "1"),
        Cell("M", "/outputs/2/source", "2"),
        Cell("N", "/outputs/1/source", "5"),
    ]
    assert matching(same, "M", own) == 3
    assert matching(same, "N", own) is None, "another device's cells are compared with its own presets"
    assert matching([Cell("M", "/outputs/1/source", "6")], "M", own) is None
    assert matching([], "M", own) is None
    assert own_presets(library.need("thornby-vx44"), {}) == []
