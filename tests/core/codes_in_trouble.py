"""Random changes of the codes of a device with three levels, with something going wrong at some call; and that nobody
is locked out afterwards.

Used by the tests with two hundred, by `bench codes` with two thousand.
"""

from __future__ import annotations

import asyncio
import random
from collections.abc import Awaitable, Callable
from dataclasses import dataclass, field, replace

from netloom_core.documents.tree import put
from netloom_core.errors import NoAnswer, Refused
from netloom_core.library.load import Library
from netloom_core.model.device import Credentials
from netloom_core.testing.devices import MemoryDevice
from netloom_core.testing.rig import BUS, Rig, device

MODEL = "kestrel-ac3"
FACTORY = {"": "402917", "user": "1111", "master": "77777777"}
PATHS = {"": "/access/installer", "user": "/access/user", "master": "/access/master"}
CALLS = 40  # of one round, about: trouble happens at one of them


@dataclass
class Trouble:
    what: str
    when: int
    count: int = 0
    dying: asyncio.Event = field(default_factory=asyncio.Event)
    happened: bool = False

    async def watch(self, box: MemoryDevice, name: str) -> None:
        self.count += 1
        if self.count >= self.when and not self.happened and name not in ("identify",):
            self.happened = True
            await HAPPENINGS[self.what](self, box, name)


async def _kill(trouble: Trouble, box: MemoryDevice, name: str) -> None:
    trouble.dying.set()
    await asyncio.Event().wait()


async def _power(trouble: Trouble, box: MemoryDevice, name: str) -> None:
    box.power_cut()


async def _silence(trouble: Trouble, box: MemoryDevice, name: str) -> None:
    box.silent = True


async def _no_answer(trouble: Trouble, box: MemoryDevice, name: str) -> None:
    raise NoAnswer("Nothing came back.")


async def _refuse(trouble: Trouble, box: MemoryDevice, name: str) -> None:
    raise Refused("It said no.")


async def _lie(trouble: Trouble, box: MemoryDevice, name: str) -> None:
    box.lies_about = random.Random(trouble.when).choice(sorted(PATHS.values()))


async def _half(trouble: Trouble, box: MemoryDevice, name: str) -> None:
    box.half_of_write = True


async def _nothing(trouble: Trouble, box: MemoryDevice, name: str) -> None:
    """All goes well."""


HAPPENINGS: dict[str, Callable[[Trouble, MemoryDevice, str], Awaitable[None]]] = {
    "nothing": _nothing, "kill": _kill, "power": _power, "silence": _silence, "no answer": _no_answer,
    "refuse": _refuse, "lie": _lie, "half": _half,
}  # fmt: skip


def keypad(library: Library, *, strict: bool) -> Rig:
    box = device(library.need(MODEL))
    box.address, box.passwords = "direct", dict(FACTORY)
    box.strict = dict(FACTORY) if strict else {}
    rig = Rig(library, [box], BUS)
    record = rig.record()
    logins = tuple(Credentials("", code, level) for level, code in FACTORY.items())
    record.target = replace(record.target, credentials=logins)
    return rig


async def one_round(library: Library, seed: int) -> str:
    """Three changes of some of the codes; trouble in one of them. What went wrong in words, empty where nothing did."""
    rng = random.Random(seed)
    rig = keypad(library, strict=rng.random() < 0.4)
    trouble = Trouble(rng.choice(sorted(HAPPENINGS)), rng.randrange(1, CALLS))

    async def before(name: str) -> None:
        await trouble.watch(rig.box, name)

    rig.box.before = before
    await rig.engine.start()
    for number in range(3):
        _decide(rig, rng, number)
        await _carried_out(rig, trouble)
        rig.box.silent, rig.box.lies_about, rig.box.half_of_write = False, "", False
        await asyncio.sleep(60)  # it is up again
        if wrong := await _locked_out(rig):
            return f"seed {seed}, {trouble.what} at call {trouble.when}, change {number}: {wrong}"
    rig.every_intent_has_its_outcome()
    trouble.happened = True
    for _ in range(2):  # one that wants codes first gets the rest after them
        await rig.apply(await rig.plan())
    left = (await rig.plan()).steps
    await rig.engine.stop()
    return f"seed {seed}, {trouble.what}: something is left for ever: {left}" if left else ""


def _decide(rig: Rig, rng: random.Random, number: int) -> None:
    record = rig.record()
    for level in rng.sample(sorted(PATHS), rng.randrange(1, 4)):
        reference = f"secret:{level or 'usual'}{number}"
        record.target = replace(
            record.target, secrets={**record.target.secrets, reference: f"{rng.randrange(10**8):08}"}
        )
        put(record.intended, PATHS[level], reference)
    if rng.random() < 0.5:
        put(record.intended, "/station/account", f"A{number}")
    record.version += 1


async def _carried_out(rig: Rig, trouble: Trouble) -> None:
    """Plan and write; where this computer dies in it, it begins anew and goes on."""
    trouble.dying.clear()
    work = asyncio.ensure_future(_plan_and_apply(rig))
    dying = asyncio.ensure_future(trouble.dying.wait())
    await asyncio.wait([work, dying], return_when=asyncio.FIRST_COMPLETED)
    dying.cancel()
    if not work.done():
        work.cancel()
        await asyncio.gather(work, return_exceptions=True)
        await rig.kill()
        await rig.engine.start()
        await rig.ended()


async def _plan_and_apply(rig: Rig) -> None:
    await rig.apply(await rig.plan())


async def _locked_out(rig: Rig) -> str:
    """At which level no login that is known lets in; empty where there is none."""
    [target] = (await rig.store.targets(["dev1"])).values()
    for level, code in rig.box.passwords.items():
        if all(login.password != code for login in target.logins(level)):  # type: ignore[union-attr]
            return f"nobody has the code of the level {level or 'installer'}"
    return ""
