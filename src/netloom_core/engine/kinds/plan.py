"""Make a plan: read the devices now, then work out what would be written. Writes nothing."""

from __future__ import annotations

import logging
from collections.abc import Callable, Iterator, Mapping, Sequence

from netloom_core.bus.turns import Priority
from netloom_core.documents.tree import MISSING, Document, digest, get, put
from netloom_core.engine.kinds.base import Workshop
from netloom_core.engine.ports import MadePlan, Order, remark_as_dict
from netloom_core.errors import CodeWanted, NetloomError
from netloom_core.model.device import Target
from netloom_core.model.work import CANCELLED, RunState
from netloom_core.plan.loading import plan_load
from netloom_core.plan.moves import LineOf, Mover, arranged, movers, numbered_waits
from netloom_core.plan.panel import with_panel
from netloom_core.plan.planner import effect, left_out, number, plan_intended, plan_restore
from netloom_core.plan.procedures import plan_procedure
from netloom_core.plan.subject import DevicePlan, Remark, Subject
from netloom_core.plan.waiting import waiting
from netloom_core.run.insist import own_fault
from netloom_core.run.undo import plan_back
from netloom_core.together import together

log = logging.getLogger("netloom.plan")
READ_AT_ONCE = 24
SPARES = 1024  # free places looked for on a line, one for each ring of moves

# What each kind of plan makes of an order. A new one is a line here.
PLANNERS: dict[str, Callable[[Subject, Order, RunState], DevicePlan]] = {
    "apply": lambda subject, order, run: plan_intended(subject, order.wanted, keep=bool(run.params.get("keep", True))),
    "restore": lambda subject, order, run: plan_restore(subject, order.profile, order.wanted),
    "procedure": lambda subject, order, run: plan_procedure(subject, str(run.params["procedure"]), fed=order.fed),
    "firmware": lambda subject, order, run: plan_load(subject, order.file),
    "undo": lambda subject, order, run: plan_back(
        subject, order.steps, decided=order.wanted, over_later=bool(run.params.get("over_later", False))
    ),
}


# Those that can be planned for a device whose settings cannot be read, and why they could not be.
UNREAD: dict[str, Callable[[Subject, Order, RunState, NetloomError], DevicePlan]] = {
    # What people do at it needs no reading: one whose password is lost is set back so.
    "procedure": lambda subject, order, run, error: plan_procedure(
        subject, str(run.params["procedure"]), unread=error, fed=order.fed
    ),
    # One without an application has no settings yet.
    "firmware": lambda subject, order, run, error: plan_load(subject, order.file, error),
}
OF_VALUES = ("apply", "restore", "undo")


class PlanRun:
    name = "plan"

    def stop(self, run: str) -> None:
        """Asked for between devices."""

    async def carry_out(self, run: RunState, shop: Workshop) -> None:
        orders = await shop.store.plans.orders(run)
        targets = await shop.records.targets([order.device for order in orders if not order.refused])
        plans: dict[str, DevicePlan] = {}
        subjects: dict[str, Subject] = {}
        read: dict[str, str] = {}

        async def one(order: Order) -> None:
            if await shop.records.cancelled(run.id):
                return
            plans[order.device] = await self._plan(order, targets.get(order.device), run, shop, read, subjects)
            told = {"plan": run.id, "done": len(plans), "total": len(orders)}
            shop.events.put("planning", told, latest=f"planning:{run.id}")

        await together(orders, one, READ_AT_ONCE, lane=lambda order: shop.sessions.lane(targets.get(order.device)))
        if await shop.records.cancelled(run.id):
            run.state = CANCELLED
            return
        names = {order.device: order.name for order in orders}

        def line_of(device: str, address: str) -> str:
            target = targets.get(device)
            return target.at(address).line.id if isinstance(target, Target) else ""

        moving = movers([plans[order.device] for order in orders], subjects, names, line_of)
        spares = await self._spares(moving, targets, shop)
        made = arranged([plans[order.device] for order in orders], moving, lambda line: next(spares[line], ""))
        left = {(one.line, one.old) for one in moving}
        for plan in made:
            if plan.device in subjects:
                await self._remark_holders(plan, subjects[plan.device], line_of, left, shop)
        steps = number(made)
        numbered_waits(steps)
        remarks = [remark_as_dict(p.device, names[p.device], remark) for p in made for remark in p.remarks]
        versions = {order.device: order.version for order in orders}
        await shop.store.plans.save_plan(
            run, MadePlan(steps, remarks, read, versions, digest({"effect": effect(steps)}))
        )
        run.state = "done"

    async def _plan(
        self,
        order: Order,
        target: Target | NetloomError | None,
        run: RunState,
        shop: Workshop,
        read: dict[str, str],
        subjects: dict[str, Subject],
    ) -> DevicePlan:
        """One device's plan stands alone: what keeps it from being made is its own remark."""
        if order.refused:
            return DevicePlan(order.device, remarks=[Remark("left-out", order.refused)])
        try:
            try:
                subject = subjects[order.device] = await self._subject(order, target, run, shop)
                read[order.device] = order.name
            except CodeWanted as error:
                if run.params["kind"] != "apply" or not isinstance(target, Target):
                    raise
                return self._code_first(order, target, shop, error)
            except NetloomError as error:
                if run.params["kind"] not in UNREAD or not isinstance(target, Target):
                    raise
                profile = shop.library.need(target.profile)
                can = shop.sessions.source.abilities(target.profile, target.line)
                locks = tuple(await shop.records.locks(order.device))
                return UNREAD[run.params["kind"]](
                    Subject(order.device, profile, can, {}, {}, locks=locks), order, run, error
                )
            plan = PLANNERS[run.params["kind"]](subject, order, run)
            if run.params["kind"] in OF_VALUES:
                plan = with_panel(subject, plan, lock=bool(run.params.get("lock", False)))
            if order.places and _touches_place(plan, subject):
                plan.remarks += [Remark("place", text) for text in order.places]
            return plan
        except NetloomError as error:
            return left_out(order.device, error)
        except Exception as error:
            log.exception("planning %s broke", order.device)
            return left_out(order.device, own_fault(error))

    def _code_first(self, order: Order, target: Target, shop: Workshop, error: CodeWanted) -> DevicePlan:
        """It tells and takes nothing before it has a new code: where one is decided, that alone is written."""
        profile = shop.library.need(target.profile)
        can = shop.sessions.source.abilities(target.profile, target.line)
        only: Document = {}
        for item in profile.ladder.codes.values():
            if (code := get(order.wanted, item.path)) is not MISSING:
                put(only, item.path, code)
        if not only:
            raise error
        plan = plan_intended(Subject(order.device, profile, can, {}, {}, _levels(target)), only)
        text = "It wants a new code before anything else: only that is written now. Plan the rest after it."
        plan.remarks.append(Remark("code-first", text))
        return plan

    async def _subject(
        self, order: Order, target: Target | NetloomError | None, run: RunState, shop: Workshop
    ) -> Subject:
        if isinstance(target, NetloomError):
            raise target
        if target is None:
            raise NetloomError("its record was removed meanwhile.")
        profile = shop.library.need(target.profile)
        talk = await shop.sessions.talk(target, f"plan of {run.by}", Priority.RUN)
        try:
            time = shop.clock.now()
            documents = await talk.read_sets(("running", "startup"))
        except NetloomError as error:
            await shop.store.devices.save_trouble(order.device, error.message)
            if isinstance(error, CodeWanted):
                raise
            raise NetloomError(f"it cannot be read: {error.message}", error.hint) from error
        known = talk.known
        await shop.records.save_reading(order.device, known.told, known.identity, time, known.unreadable)
        running, startup = documents["running"], documents["startup"]
        locks = tuple(await shop.records.locks(order.device))
        waits = waiting(profile, order.recent, running)
        return Subject(
            order.device, profile, talk.abilities, running, startup, _levels(target), locks, known.unreadable, waits
        )

    async def _spares(
        self, moving: Sequence[Mover], targets: Mapping[str, Target | NetloomError], shop: Workshop
    ) -> dict[str, Iterator[str]]:
        """Free places by line, from its end, as many as may be needed; the wire is asked when one is taken."""
        busy = {(one.line, place) for one in moving for place in (one.old, one.gateway)}
        busy |= {(one.to_line, one.new) for one in moving}
        found: dict[str, Iterator[str]] = {}
        for line in {one.line for one in moving if (one.to_line, one.new) in {(o.line, o.old) for o in moving}}:
            those = [one for one in moving if one.line == line]
            target = targets[those[0].plan.device]
            assert isinstance(target, Target)
            free: list[str] = []
            for place in reversed(target.line.places()):
                if len(free) >= (len(those) + 1) // 2 or len(free) >= SPARES:
                    break
                if (line, place) not in busy and not await shop.store.devices.holder(those[0].plan.device, place):
                    free.append(place)
            found[line] = iter(free)
        return found

    async def _remark_holders(
        self, plan: DevicePlan, subject: Subject, line_of: LineOf, left: set[tuple[str, str]], shop: Workshop
    ) -> None:
        """An address that another device has, or is to have, is said before anybody tries to take it; one that is
        left by this very plan is not."""
        for address in _goes_to(plan, subject):
            if (line_of(plan.device, address), address) in left:
                continue
            holder = await shop.store.devices.holder(plan.device, address)
            if not holder:
                continue
            text = f"{address} is {holder}'s, or may become it: the change is refused while that is so."
            if any(step.action == "perform" for step in plan.steps):
                text = (
                    f"It comes up at {address}, which is {holder}'s, or may become it. Move or unplug that one first."
                )
            plan.remarks.append(Remark("address-taken", text))


def _levels(target: Target) -> frozenset[str]:
    """The levels of access whose code is known."""
    return frozenset(login.level for login in target.credentials)


def _touches_place(plan: DevicePlan, subject: Subject) -> bool:
    paths = [change["path"] for step in plan.steps for change in step.params.get("changes", [])]
    return not subject.profile.of_place.isdisjoint(paths)


def _goes_to(plan: DevicePlan, subject: Subject) -> list[str]:
    """Addresses at which the device would be after its plan."""
    found = []
    for step in plan.steps:
        if step.action == "readdress":
            changes = step.params["changes"]
            found += [str(c["to"]) for c in changes if subject.profile.by_path[c["path"]].role == "address"]
        found += step.params.get("comes_up_at", [])
    return found
