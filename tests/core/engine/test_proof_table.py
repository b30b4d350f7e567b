"""The table of proof, each row held against a device that behaves as the row says.

A device in memory keeps and takes values as `takes` and `kept` mean; what the engine says at the
end is compared with what the device does then, and what it does after a power cut.
"""

import itertools

import pytest

from netloom_core.documents.tree import get
from netloom_core.library.load import Library
from netloom_core.plan.proof import TABLE
from netloom_core.profiles.abilities import Abilities
from netloom_core.profiles.profile import Profile
from netloom_core.testing.rig import ALL, Rig, device

TAKES, KEPT = ("at-once", "on-store", "on-restart"), ("when-stored", "always", "never")
SETS = ((), ("running",), ("startup",), ("running", "startup"))
ROWS = list(itertools.product(TAKES, KEPT, SETS))


def profile_with(library: Library, takes: str, kept: str) -> Profile:
    base = library.need("hallvane-rx8").model_dump()
    base["items"] = [
        {
            "path": "/a",
            "label": "A",
            "type": {"is": "integer", "maximum": 9},
            "default": 1,
            "takes": takes,
            "kept": kept,
        },
        {"path": "/b", "label": "B", "type": {"is": "integer", "maximum": 9}, "default": 1},
    ]
    return Profile.model_validate({**base, "id": f"row-{takes}-{kept}"})


def test_every_row_is_there() -> None:
    assert {(takes, kept, tuple(sorted(sets, key=("running", "startup").index))) for takes, kept, sets in ROWS} == set(
        TABLE
    )


@pytest.mark.parametrize(("takes", "kept", "sets"), ROWS)
async def test_a_row_says_no_more_than_the_device_shows(library: Library, takes: str, kept: str, sets: tuple) -> None:
    rig = row(library, takes, kept, sets)
    run = await rig.set({"/a": 5})
    word = "unproven" if any(step.state == "unproven" for step in run.steps) else run.state
    assert word == TABLE[takes, kept, sets].word, [(s.action, s.state, s.message) for s in run.steps]
    assert get(rig.box.running, "/a") == 5, "the steps are those that the device needs"
    if word == "unproven":
        assert "cannot tell" in " ".join(s.message for s in run.steps) or "tells neither" in run.steps[-1].message
    rig.box.power_cut()
    assert get(rig.box.running, "/a") == (1 if kept == "never" else 5)
    rig.every_intent_has_its_outcome()


@pytest.mark.parametrize(("takes", "kept", "sets"), [row for row in ROWS if TABLE[row].word == "done"])
@pytest.mark.parametrize("trouble", ["lies", "does not store"])
async def test_where_the_word_is_done_a_device_that_does_not_do_it_is_caught(
    library: Library, takes: str, kept: str, sets: tuple, trouble: str
) -> None:
    rig = row(library, takes, kept, sets)
    if trouble == "lies":
        rig.box.lies_about = "/a"
    else:
        rig.box.stores = False
    run = await rig.set({"/a": 5})
    works = get(rig.box.running, "/a") == 5
    rig.box.power_cut()
    kept_it = get(rig.box.running, "/a") == 5 or kept == "never"
    assert (run.state == "done") == (works and kept_it), [(s.action, s.state, s.message) for s in run.steps]


def row(library: Library, takes: str, kept: str, sets: tuple) -> Rig:
    library = Library([profile_with(library, takes, kept)])
    [profile] = list(library)
    return Rig(library, [device(profile, abilities=Abilities(ALL.can, frozenset(sets)))])
