"""Random changes of the codes of a device with three levels, with something going wrong at some call; and that nobody
is locked out afterwards.

Used by the tests with two hundred, by `bench codes` with two thousand.
"""

from __future__ import annotations

import asyncio
import random
from dataclasses import replace

from netloom_core.documents.tree import put
from netloom_core.errors import NoAnswer, Refused
from netloom_core.library.load import Library
from netloom_core.model.device import Credentials
from netloom_core.testing.devices import MemoryDevice
from netloom_core.testing.rig import BUS, Rig, device
from tests.core.trouble import USUAL, Trouble

MODEL = "kestrel-ac3"
FACTORY = {"": "402917", "user": "1111", "master": "77777777"}
PATHS = {"": "/access/installer", "user": "/access/user", "master": "/access/master"}
CALLS = 40  # of one round, about: trouble happens at one of them


async def _no_answer(trouble: Trouble, rig: Rig, box: MemoryDevice) -> None:
    raise NoAnswer("Nothing came back.")


async def _refuse(trouble: Trouble, rig: Rig, box: MemoryDevice) -> None:
    raise Refused("It said no.")


async def _lie(trouble: Trouble, rig: Rig, box: MemoryDevice) -> None:
    box.lies_about = random.Random(trouble.when).choice(sorted(PATHS.values()))


async def _half(trouble: Trouble, rig: Rig, box: MemoryDevice) -> None:
    box.half_of_write = True


async def _nothing(trouble: Trouble, rig: Rig, box: MemoryDevice) -> None:
    """All goes well."""


HAPPENINGS = {**USUAL, "nothing": _nothing, "no answer": _no_answer, "refuse": _refuse, "lie": _lie, "half": _half}


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
    rig.box.before = trouble.watching(rig, rig.box, HAPPENINGS, spared="identify")
    await rig.engine.start()
    for number in range(3):
        _decide(rig, rng, number)
        await trouble.lived_through(rig, _plan_and_apply(rig))
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


async def _plan_and_apply(rig: Rig) -> None:
    await rig.apply(await rig.plan())


async def _locked_out(rig: Rig) -> str:
    """At which level no login that is known lets in; empty where there is none."""
    [target] = (await rig.store.targets(["dev1"])).values()
    for level, code in rig.box.passwords.items():
        if all(login.password != code for login in target.logins(level)):  # type: ignore[union-attr]
            return f"nobody has the code of the level {level or 'installer'}"
    return ""
