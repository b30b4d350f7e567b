"""Take a device's power at whatever feeds it, give it back, and see the device go and return as itself."""

from __future__ import annotations

import asyncio
import contextlib

from netloom_core.documents.tree import MISSING, Document, get
from netloom_core.errors import FENCED_HINT, Fenced, NetloomError, NotDone, RequestError
from netloom_core.model.change import Change
from netloom_core.model.device import Target
from netloom_core.model.fence import why_fenced
from netloom_core.model.work import StepState
from netloom_core.run.drive import drive
from netloom_core.run.steps.base import PAUSE_S, StepContext, WritingStep
from netloom_core.run.steps.places import find, look_for

GIVE_BACK_S = 60.0  # for which it is tried to give power back, whatever comes
AGAIN_S = 1.0
ENDING_S = 5.0
FALLEN_SHOWN = 4  # the record has all of them


class PowerCycle(WritingStep):
    """`feeder` and its `point` give the power, `point_label` and `feeder_name` are their words; `off_s` without it, and
    `within` it is back: all in the step's params. Power is given back whatever happens, after a crash too."""

    action = "power-cycle"

    def simulate(self, step: StepState, sets: dict[str, Document]) -> dict[str, Document]:
        return sets

    def back(self, step: StepState) -> list[Change]:
        return []

    async def settle(self, context: StepContext) -> None:
        if context.open_intent is None:
            return
        await self._give_back(context, await self._feeder(context))
        context.step.evidence = {"given_back": True}
        await context.conclude("unknown", f"{context.cut} in the middle; its power was given back.")

    async def run(self, context: StepContext) -> None:
        params = context.step.params
        if context.step.evidence.get("given_back"):
            back = await self._returned(context)
            here = "It answers as itself" if back else f"It does not answer after {params['within']:g} s"
            raise NotDone(
                f"Netloom was cut off while the power was away, and gave it back. {here}.",
                "Look at it; begin again if that is still wanted.",
                target=context.target.device,
            )
        feeder = await self._feeder(context)
        if fence := why_fenced(await context.records.fences(feeder.device), str(params["point"])):
            raise Fenced(fence, FENCED_HINT, target=feeder.device)
        looked = await look_for(context, [context.target])
        there = looked.here is not None
        if looked.trouble is not None and not (there or looked.gone):
            raise looked.trouble  # nothing could be seen of it afterwards, either
        before = await self._has(context) if there else {}
        await context.intend([])
        may_be_off = True
        try:
            try:
                await self._drive(context, feeder, "off")
            except NetloomError as error:
                may_be_off = error.outcome != "not_sent"
                await context.conclude("unknown" if may_be_off else "failed", error.message)
                raise
            gone = await self._away(context, float(params["off_s"]))
        except asyncio.CancelledError:
            # Netloom ends: once is tried now, and again at its next start, which finds the open intent.
            with contextlib.suppress(NetloomError, TimeoutError):
                async with asyncio.timeout(ENDING_S):
                    await self._drive(context, feeder, "on")
            raise
        except NetloomError:
            if may_be_off:
                await self._give_back(context, feeder)
            raise
        await self._give_back(context, feeder)
        await self._judge(context, there, gone, before)

    async def _judge(self, context: StepContext, there: bool, gone: bool, before: Document) -> None:
        params, name = context.step.params, context.target.name
        back = await self._returned(context)
        context.step.evidence = {"answered_before": there, "went": gone, "back": back}
        where = f"{params['point_label']} of {params['feeder_name']}"
        if not back:
            await context.conclude("failed", "it did not come back")
            raise NotDone(
                f"{where} gives power again, and {name} does not answer after {params['within']:g} s.",
                "Ask why it is not there; look at its lights.",
                target=context.target.device,
                outcome="applied",
            )
        if there and not gone:
            why = f"{name} answered all the time: it has power from elsewhere, or does not hang on {where}"
            context.unproven.append(why)
            await context.conclude("unproven", why)
            return
        went = "It went, and answers" if there else "It did not answer before, and answers now"
        context.step.message = f"{went} again as itself.{await self._fallen(context, before)}"
        await context.conclude("done", context.step.message)

    async def _fallen(self, context: StepContext, before: Document) -> str:
        """What the power cut took back, in words: each value that can fall is looked at after each power cut."""
        now = await self._has(context)
        profile = context.profile
        fallen = [
            {"path": path, "was": get(before, path), "now": get(now, path)}
            for path, item in profile.by_path.items()
            if item.decided
            and MISSING not in (get(before, path), get(now, path))
            and get(before, path) != get(now, path)
        ]
        context.step.evidence = {**context.step.evidence, "fell_back": fallen}
        if not fallen:
            return ""
        words = [f"{profile.called(one['path'])} is {one['now']}, was {one['was']}" for one in fallen[:FALLEN_SHOWN]]
        more = f"; and {len(fallen) - FALLEN_SHOWN} more" if len(fallen) > FALLEN_SHOWN else ""
        return f" The power cut took back: {'; '.join(words)}{more}. Write that again where it is wanted."

    async def _has(self, context: StepContext) -> Document:
        """Its values now, read onto its record; empty where it cannot be asked: it is cycled all the same."""
        try:
            return (await context.read("running", "startup"))["running"]
        except NetloomError:
            return {}

    # Its power

    async def _feeder(self, context: StepContext) -> Target:
        ident = str(context.step.params["feeder"])
        found = (await context.records.targets([ident])).get(ident)
        if isinstance(found, NetloomError):
            raise found
        if found is None:
            raise RequestError(
                f"{context.step.params['feeder_name']} is not on record any more.", "Nothing was driven."
            )
        return found

    async def _drive(self, context: StepContext, feeder: Target, state: str) -> None:
        profile, point = context.library.need(feeder.profile), str(context.step.params["point"])
        await drive(feeder, profile, point, state, context.sessions, context.records, context.by)

    async def _give_back(self, context: StepContext, feeder: Target) -> None:
        loop = asyncio.get_running_loop()
        begun = loop.time()
        while True:
            try:
                await self._drive(context, feeder, "on")
                return
            except NetloomError as error:
                if loop.time() >= begun + GIVE_BACK_S:
                    params = context.step.params
                    text = (
                        f"{params['point_label']} of {params['feeder_name']} may still give no power: {error.message}"
                    )
                    await context.conclude("unknown", text)
                    raise NotDone(
                        text, "Switch it on there, at once.", target=context.target.device, outcome="unknown"
                    ) from error
                await asyncio.sleep(AGAIN_S)

    # The device

    async def _away(self, context: StepContext, seconds: float) -> bool:
        """Without power for so long; whether it was seen to be gone."""
        loop = asyncio.get_running_loop()
        until, gone = loop.time() + seconds, False
        while loop.time() < until:
            gone = gone or (await look_for(context, [context.target])).gone
            await asyncio.sleep(min(PAUSE_S, max(until - loop.time(), 0)))
        return gone

    async def _returned(self, context: StepContext) -> bool:
        return (await find(context, [context.target], float(context.step.params["within"]))).here is not None
