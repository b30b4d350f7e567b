"""What a plan would leave after a power cut: values that are in danger's way are named before they are kept."""

from __future__ import annotations

from typing import Any

import pytest

from netloom_core.documents.tree import get, put
from netloom_core.errors import Fenced
from netloom_core.library.checks import problems
from netloom_core.library.load import Library
from netloom_core.profiles.profile import Profile
from netloom_core.testing.rig import Rig, device, states

SAFE = {"at_least": 100, "why": "the gate would shut on somebody"}


def boxed(library: Library, kept: str = "when-stored", **more: Any) -> Rig:
    base = library.need("hallvane-rx8").model_dump()
    for item in base["items"]:
        if item["path"] == "/relays/{relay}/pulse_ms":
            item |= {"safe": SAFE, "kept": kept, "needs": [], **more}
    profile = Profile.model_validate({**base, "id": "with-safety"})
    return Rig(Library([profile]), [device(profile)])


async def told(rig: Rig, **params: Any) -> list[str]:
    return [remark["message"] for remark in (await rig.plan(**params)).remarks if remark["code"] == "safety"]


@pytest.mark.parametrize("kept", ["when-stored", "always"])
async def test_what_would_be_kept_and_is_unsafe_is_named(library: Library, kept: str) -> None:
    rig = boxed(library, kept)
    put(rig.record().intended, "/relays/1/pulse_ms", 60)
    put(rig.record().intended, "/relays/2/pulse_ms", 800)
    assert await told(rig) == [
        "Relay 1 pulse time 60 ms would be kept: the gate would shut on somebody. That needs a reason."
    ]


async def test_what_is_only_tried_or_not_kept_needs_no_reason(library: Library) -> None:
    rig = boxed(library)
    put(rig.record().intended, "/relays/1/pulse_ms", 60)
    assert await told(rig, keep=False) == []
    assert len(await told(rig)) == 1


async def test_what_runs_unkept_and_another_store_would_keep_is_named_too(library: Library) -> None:
    rig = boxed(library)
    put(rig.box.running, "/relays/3/pulse_ms", 55)
    put(rig.record().intended, "/name", "Gate")
    assert "Relay 3 pulse time 55 ms" in (await told(rig))[0], "it was tried by somebody and would be kept along"


async def test_what_it_starts_with_already_is_no_news(library: Library) -> None:
    rig = boxed(library)
    for document in (rig.box.running, rig.box.startup):
        put(document, "/relays/1/pulse_ms", 60)
    put(rig.record().intended, "/name", "Gate")
    assert await told(rig) == []


async def test_taking_back_to_what_is_unsafe_needs_one_as_well(library: Library) -> None:
    rig = boxed(library)
    for document in (rig.box.running, rig.box.startup):
        put(document, "/relays/1/pulse_ms", 60)
    run = await rig.set({"/relays/1/pulse_ms": 700})
    plan = await rig.plan("undo", run=run.id)
    assert [remark["code"] for remark in plan.remarks] == ["safety"]


def test_a_word_that_is_no_value_of_it_is_told(library: Library) -> None:
    rig = boxed(library, safe={"one_of": ["soon"], "why": "x"})
    assert any("/relays/1/pulse_ms: safe: " in text for text in problems(rig.box.profile))


async def test_behind_a_fence_nothing_is_driven_or_written_and_reading_goes_on(library: Library) -> None:
    rig = boxed(library)
    rig.record().fences["relay-1"] = "Relay 1 is fenced off by anna: on the ladder."
    with pytest.raises(Fenced, match="on the ladder") as refused:
        await rig.engine.do({"do": "drive", "device": "dev1", "point": "relay-1", "state": "on", "by": "eve"})
    assert refused.value.outcome == "not_sent"
    with pytest.raises(Fenced):
        await rig.engine.do(
            {"do": "hold", "device": "dev1", "point": "relay-1", "state": "on", "by": "eve", "seconds": 1}
        )
    await rig.engine.do({"do": "drive", "device": "dev1", "point": "relay-2", "state": "on", "by": "eve"})
    assert (rig.box.points["relay-1"], rig.box.points["relay-2"]) == ("off", "on")
    run = await rig.set({"/relays/1/idle": "closed"})
    assert states(run) == ["failed", "skipped"]
    assert run.steps[0].code == "fenced"
    assert get(rig.box.running, "/relays/1/idle") == "open"
    rig.every_intent_has_its_outcome()
    rig.record().fences.clear()
    again = await rig.apply(await rig.plan())
    assert set(states(again)) == {"done"}
