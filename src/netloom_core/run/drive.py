"""Driving a point now, with the journal and a look at what came of it."""

from __future__ import annotations

from netloom_core.errors import NetloomError, OutOfRange, ReadBackMismatch, UnknownSetting
from netloom_core.model.device import Target
from netloom_core.model.ports import DriverSource, Host
from netloom_core.model.work import JournalEntry
from netloom_core.profiles.schema import Profile


def checked_point(profile: Profile, point: str, state: str) -> None:
    one = profile.by_point.get(point)
    if one is None or not one.drive:
        drivable = ", ".join(p.id for p in profile.by_point.values() if p.drive) or "none"
        raise UnknownSetting(f"{profile.model} has no point {point} to drive.", f"It has: {drivable}.", target=point)
    if state not in one.states:
        raise OutOfRange(f"{one.label} cannot be {state!r}.", f"Say {' or '.join(one.states)}.", target=point)


async def drive(
    target: Target, profile: Profile, point: str, state: str, drivers: DriverSource, host: Host, by: str
) -> dict[str, str]:
    """Drive and read back; returns all states. Raises ReadBackMismatch when it did not follow."""
    checked_point(profile, point, state)

    async def tell(kind: str, before: str | None, outcome: str = "", now: str | None = None) -> None:
        change = {"path": f"point:{point}", "from": before, "to": state, "read_back": now}
        await host.journal(
            JournalEntry(
                kind, "", target.device, target.line.id, target.address, "drive", by, outcome, changes=(change,)
            )
        )

    driver = await drivers.open(target)
    try:
        before = (await driver.states()).get(point)
        await tell("intent", before)
        try:
            await driver.drive(point, state)
            states = await driver.states()
        except NetloomError as error:
            await tell("outcome", before, error.outcome)
            raise
    finally:
        await driver.close()
    followed = states.get(point) == state
    await tell("outcome", before, "done" if followed else "failed", states.get(point))
    if not followed:
        raise ReadBackMismatch(
            f"{point} of {target.name} is {states.get(point)!r} after being driven to {state!r}.",
            "A pulse may have ended already; otherwise something else holds it.",
            target=target.device,
            outcome="applied",
        )
    return states
