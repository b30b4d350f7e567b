"""What a person does at the device, as a step: it waits for what Netloom can see of it, and for the person's answer.

The answer is evidence, and the step keeps whose it is. Where the profile says how Netloom sees that it was done,
that counts more than words: who says "done" is believed when it is seen, else the step ends as unproven.
"""

from __future__ import annotations

import asyncio
from typing import Any

from netloom_core.errors import NotDone
from netloom_core.model.work import ACTING
from netloom_core.run.answers import Answer
from netloom_core.run.steps.base import PAUSE_S, ReadingStep, StepContext
from netloom_core.run.steps.places import arrived, factory_places, look_for, stands_in_the_way

CONFIRM_S = 3.0  # how long a sign is still looked for after the person said that it was done, besides its time to start
STOPPED = "The run was stopped while it waited for a person; what was done at the device is not known."


class Seen:
    """Whether what a person was asked to do can be seen from here, by the kind of sign that the profile names."""

    def __init__(self, context: StepContext, sign: str) -> None:
        self._context = context
        self._sign = sign
        self._gone = False

    async def look(self) -> str:
        """What was seen, in words; empty where it was not, yet."""
        context = self._context
        if self._sign in ("", "person"):
            return ""
        if self._sign == "factory-address":
            if (here := (await look_for(context, factory_places(context))).here) is None:
                return ""
            await arrived(context, here)
            return f"It answers at {here.address}, where its factory puts it."
        looked = await look_for(context, [context.target])
        itself = looked.here is not None
        self._gone = self._gone or looked.gone
        if self._sign == "silence":
            return "It fell silent." if self._gone else ""
        if self._sign == "answer":
            return "It answers as itself." if itself else ""
        return "It went, and answers again as itself." if itself and self._gone else ""


class ByHand(ReadingStep):
    """`words`, `note`, `within` (s), `seen_by` are in the step's params; `asks` is in its evidence while it waits."""

    action = "by-hand"
    by_hand = True

    async def run(self, context: StepContext) -> None:
        params = context.step.params
        answer, seen = await ask(context, params["words"], float(params["within"]), str(params.get("seen_by", "")))
        told: dict[str, Any] = {"seen": seen}
        if answer is not None:
            told |= {"by": answer.by, "came": answer.came, "note": answer.note}
        context.step.evidence = told
        if answer is not None and not answer.came and not seen:
            raise NotDone(
                f"{answer.words()}. Nothing further was done to {context.target.name}.",
                "Look at what its lights say, then begin again.",
                target=context.target.device,
            )
        if answer is None and not seen:
            other = await stands_in_the_way(context) if params.get("seen_by") == "factory-address" else ""
            raise NotDone(
                f"Nobody said within {params['within']:g} s that it was done, and nothing was seen of it.{other}",
                "What was done at the device is not known. Begin again when somebody stands before it.",
                target=context.target.device,
            )
        if not seen and params.get("seen_by", "person") not in ("", "person"):
            context.unproven.append(f"{answer.words() if answer else ''}, but nothing of it was seen from here")
        context.step.message = " ".join(filter(None, [seen, f"{answer.words()}." if answer else ""]))


async def ask(context: StepContext, words: str, within: float, sign: str) -> tuple[Answer | None, str]:
    """Ask a person, and look for the sign meanwhile, at most `within` seconds: the answer, and what was seen.

    Raises NotDone where the run is stopped meanwhile.
    """
    step = context.step
    step.state = ACTING
    step.evidence = {**step.evidence, "asks": {"words": words, "since": context.clock.now(), "within": within}}
    seen, answer = Seen(context, sign), None
    loop = asyncio.get_running_loop()
    deadline = loop.time() + within
    sighted = ""
    with context.answers.asked(context.run, step.ordinal) as future:
        await context.records.save_step(context.run, step)
        while loop.time() < deadline:
            if future.done() and answer is None:
                answer = future.result()
                if not answer.came or sign in ("", "person"):
                    break
                deadline = min(deadline, loop.time() + CONFIRM_S + context.profile.away_seconds)
            if await context.records.cancelled(context.run):
                raise NotDone(STOPPED, "Look at the device, then read it.", target=context.target.device)
            sighted = await seen.look()
            if sighted:
                break
            await asyncio.wait([future], timeout=PAUSE_S) if answer is None else await asyncio.sleep(PAUSE_S)
    step.evidence = {name: value for name, value in step.evidence.items() if name != "asks"}
    return answer, sighted
