"""A profile tried on a device: everything that it describes is read, nothing is written. For whoever writes one."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import partial
from typing import Any

from netloom_core.documents.tree import MISSING, get
from netloom_core.drivers.registry import OPENERS
from netloom_core.errors import CannotDo, NetloomError, WrongDevice
from netloom_core.identity.keys import Makers
from netloom_core.identity.proof import Verdict, judge
from netloom_core.model.device import Identity, Target
from netloom_core.profiles.abilities import Ability
from netloom_core.profiles.profile import Profile

Owners = Any
Again = Callable[[Callable[[], Any]], Any]


@dataclass
class Row:
    """What one item gave. `state` is value, missing or unreadable; `text` the value, or why there is none."""

    path: str
    channel: str
    set: str
    state: str
    text: str = ""


@dataclass
class Trial:
    """`able` is what the channel can do on this model; `trouble` why the trial ended early, if it did."""

    channel: str = ""
    identity: dict[str, str] = field(default_factory=dict)
    able: list[str] = field(default_factory=list)
    rows: list[Row] = field(default_factory=list)
    trouble: str = ""
    hint: str = ""


async def try_profile(profile: Profile, target: Target, owners: Owners, makers: Makers) -> Trial:
    """What a profile gives on a device. A target of the records has to prove itself before its login is used.

    Raises CannotDo where no channel lies on such a line; what goes wrong at the device is in the trial.
    """
    name = profile.channel_for(target.line.kind, target.line.protocol)
    if not name:
        raise CannotDo(
            f"{profile.model} has no channel with a driver on a line like {target.line.name}.",
            f"It has: {', '.join(f'{n} on {c.lines}' for n, c in profile.channels.items())}.",
        )
    channel = profile.channels[name]
    able = channel.abilities(name, profile)
    trial = Trial(name, able=sorted(able.can))
    driver = OPENERS[channel.protocol](target, profile, name, owners)
    again = partial(_again, driver, target, makers)
    try:
        identity = await _proven(driver, target, makers)
        named = {part: getattr(identity, part) for part in ("maker", "model", "serial", "firmware")}
        trial.identity = {**{part: value for part, value in named.items() if value}, **identity.facts}
        for which in ("running", "startup"):
            if which in able.sets:
                await _documents(trial, driver, again, profile, name, which)
        if Ability.STATES in able:
            await _states(trial, driver, again, profile, name)
    except NetloomError as error:
        trial.trouble, trial.hint = error.message, error.hint
    finally:
        await driver.close()
    return trial


async def _proven(driver: Any, target: Target, makers: Makers) -> Identity:
    identity: Identity = await driver.identify()
    if target.found and judge(target, identity, makers) is Verdict.OTHER:
        raise WrongDevice(
            f"At {target.address} answers {identity.maker} {identity.model} {identity.serial}: not {target.name}.",
            "Sweep the line to see who is where. Nothing more was asked of it.",
            target=target.device,
        )
    driver.trust(driver.connection)
    return identity


async def _again(driver: Any, target: Target, makers: Makers, ask: Callable[[], Any]) -> Any:
    """A device may end each connection after its answer: then it is asked once more who it is."""
    try:
        return await ask()
    except NetloomError as error:
        if error.code != "unproven":
            raise
    await _proven(driver, target, makers)
    return await ask()


async def _documents(trial: Trial, driver: Any, again: Again, profile: Profile, name: str, which: str) -> None:
    document = await again(lambda: driver.read(which))
    for path, item in profile.by_path.items():
        value = get(document, path)
        why = getattr(driver, "unreadable", {}).get(path, "")
        if item.secret:
            continue
        if why:
            trial.rows.append(Row(path, name, which, "unreadable", why))
        elif value is MISSING:
            bound = path in profile.bound_by_path(name) or item.role in ("address", "speed")
            told = "the device tells none" if bound else f"it is not bound to {name}"
            trial.rows.append(Row(path, name, which, "missing", told))
        else:
            trial.rows.append(Row(path, name, which, "value", item.type.show(value)))


async def _states(trial: Trial, driver: Any, again: Again, profile: Profile, name: str) -> None:
    states = await again(driver.states)
    for point, item in profile.by_point.items():
        if item.live:
            told = states.get(point)
            row = Row(item.path, name, "live", "missing" if told is None else "value", told or "the device tells none")
            trial.rows.append(row)
