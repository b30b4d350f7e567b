"""Scan of an OSDP multi-drop line: who answers, at which address, at which speed.

A short time-out for each; who answers late is heard while the next is asked, and asked
again in peace. Last the missing ones again with the standard's full time-out, for slow
units. Only asks for identities: nothing is changed.
"""

from __future__ import annotations

from collections.abc import Generator
from typing import TypeVar

from netloom_core.bus.owner import SerialOwner
from netloom_core.drivers.osdp.driver import identity_of
from netloom_core.errors import Busy, DeviceError, LinkError, NoAnswer, ProtocolError, Unproven, WantsEncryption
from netloom_core.library.load import Library
from netloom_core.library.standard import is_standard
from netloom_core.model.line import Line
from netloom_core.protocols.osdp import flows
from netloom_core.protocols.osdp.constants import MAX_ADDRESS, REPLY_TIMEOUT_S, SCAN_TIMEOUT_S, USUAL_SPEEDS
from netloom_core.protocols.osdp.messages import (
    CONTACTS,
    LAMPS,
    OUTPUTS,
    SECURITY,
    SOUNDERS,
    TEXTS,
    Command,
    Reply,
)
from netloom_core.protocols.osdp.session import Session
from netloom_core.sweep.base import Look, Method
from netloom_core.sweep.noise import Noise

GARBLED_TRIES = 2
ABLE = {"inputs": CONTACTS, "outputs": OUTPUTS, "lamps": LAMPS, "sounders": SOUNDERS, "texts": TEXTS}
Told = TypeVar("Told")
BUDGET_EACH_S = 0.25  # of one question, with late and garbled ones asked again
LATE_S = 0.1  # before the speed is changed: a late reply would be lost by it


class LedByAnother(LinkError):
    """Another control panel speaks on the bus; what was found may be incomplete."""

    code = "led-by-another"


def speeds_for(line: Line, usual: tuple[int, ...]) -> list[int]:
    return list(dict.fromkeys([line.speed, *usual]))


async def ask(
    look: Look, owner: SerialOwner, noise: Noise, address: int, speed: int, timeout: float, retries: int = 0
) -> bool:
    """One question; a sighting if anything came back. Garbled answers are asked again."""
    for attempt in range(GARBLED_TRIES + 1):
        talk = Session(address, retries=retries)
        try:
            ident = await owner.converse(address, speed, flows.identify(), who="sweep", timeout=timeout, session=talk)
        except NoAnswer:
            if attempt:
                owner.suspect_the_one_before()  # what was garbled at first was not this one's
            noise.silent(speed)
            return False
        except ProtocolError:
            if attempt < GARBLED_TRIES:
                continue
            noise.spoiled(str(address), speed)
            return True
        except (DeviceError, Busy) as error:
            noise.sound(speed)
            look.sight(str(address), "osdp", speed=str(speed), refused=error.message)
            return True
        finally:
            owner.forget(address, speed)
        noise.sound(speed)
        facts = {**identity_of(ident).facts, **await _able(owner, address, speed, talk)}
        profile = look.library.best(facts, ("osdp",))
        look.sight(
            str(address),
            "osdp",
            **facts,
            speed=str(speed),
            serial=f"{ident.serial:08X}",
            firmware=ident.firmware,
            maker=profile.maker if profile and profile.maker else f"vendor {ident.vendor}",
            model=profile.model if profile and not is_standard(profile.id) else f"model number {ident.model}",
        )
        return True
    return False


async def _able(owner: SerialOwner, address: int, speed: int, talk: Session) -> dict[str, str]:
    """What it says that it can, and whether it answers more than its identity without its secure channel.

    Only asks. What it does not answer is one fact less.
    """
    facts: dict[str, str] = {}

    async def asked(flow: Generator[Command, Reply, Told]) -> Told:
        return await owner.converse(address, speed, flow, who="sweep", timeout=REPLY_TIMEOUT_S, session=talk)

    try:
        counts = {one.function: one for one in await asked(flows.capabilities())}
        for name, function in ABLE.items():
            facts[f"osdp_{name}"] = str(counts[function].count if function in counts else 0)
        if SECURITY in counts and counts[SECURITY].level & 1:
            facts["secure_channel"] = "able"
        await asked(flows.local_status())
    except WantsEncryption:
        facts["secure_channel"] = "required"
        facts["refused"] = "It speaks on its secure channel only: it wants its key."
    except (DeviceError, ProtocolError, NoAnswer, Unproven):
        pass
    return facts


def looks(look: Look, usual: tuple[int, ...]) -> list[tuple[int, int]]:
    """Places in the order of likelihood: where units should be and where factories put them,
    at every speed; then all addresses at the line's speed, then at the other usual ones."""
    speeds = speeds_for(look.line, usual)
    expected = [(int(a), s or look.line.speed) for a, s in look.expected if look.line.holds(a)]
    factory = {int(a) for p in look.library if p.speaks("osdp") for a in p.factory.addresses if a.isdecimal()}
    likely = sorted({address for address, _ in expected} | factory)
    places = [*expected, *((address, speed) for speed in speeds for address in likely)]
    places += [(address, speed) for speed in speeds for address in range(MAX_ADDRESS + 1)]
    return [place for place in dict.fromkeys(places) if look.wanted(str(place[0]))]


class OsdpScan(Method):
    name = "osdp"
    title = "OSDP scan"
    needs = "The line's turn."
    sends = "An identity request to each of the addresses 0 to 126 at each usual speed."
    kinds = ("serial",)

    def __init__(self, speeds: tuple[int, ...] = USUAL_SPEEDS) -> None:
        """`speeds` in baud are tried besides the line's own."""
        self._speeds = speeds

    def budget(self, look: Look) -> float:
        return 60.0 + BUDGET_EACH_S * len(looks(look, self._speeds))

    def fits(self, line: Line, library: Library) -> bool:
        return line.kind == "serial" and line.protocol == "osdp"

    async def run(self, look: Look) -> None:
        owner = look.owners.serial(look.line)
        expected = [(int(a), s or look.line.speed) for a, s in look.expected if look.line.holds(a)]
        places, noise = looks(look, self._speeds), Noise(look, self.name)
        answered: set[tuple[int, int]] = set()
        owner.listen_anew()
        last = look.line.speed
        for count, (address, speed) in enumerate(places, 1):
            if speed != last:
                await owner.listen(LATE_S)
                await self._late(look, owner, noise, last, answered)
                last = speed
            if noise.at(speed):
                continue
            if await ask(look, owner, noise, address, speed, SCAN_TIMEOUT_S):
                answered.add((address, speed))
            await self._late(look, owner, noise, speed, answered)
            if count % 8 == 0 or count == len(places):
                look.progress(count, len(places))
        factory = {int(a) for p in look.library if p.speaks("osdp") for a in p.factory.addresses if a.isdecimal()}
        in_peace = [*expected, *((address, look.line.speed) for address in sorted(factory))]
        for address, speed in dict.fromkeys(in_peace):
            if (address, speed) not in answered and look.wanted(str(address)) and not noise.at(speed):
                await ask(look, owner, noise, address, speed, REPLY_TIMEOUT_S, retries=1)
        noise.end()
        if owner.echoes:
            look.note("The adapter gives back what is sent; that was told apart from answers.")
        if owner.led_by_another:
            raise LedByAnother(
                f"Somebody else leads the bus {look.line.name}: another control panel polls it at the same time.",
                "Two leaders spoil each other's answers. Take the other one off the bus while you work on it.",
                target=look.line.name,
            )

    async def _late(
        self, look: Look, owner: SerialOwner, noise: Noise, speed: int, answered: set[tuple[int, int]]
    ) -> None:
        """A unit that answered after its short time-out was heard by somebody else: ask it in peace."""
        while owner.strays:
            address = owner.strays.pop()
            if (address, speed) in answered or noise.at(speed):
                continue
            if await ask(look, owner, noise, address, speed, REPLY_TIMEOUT_S, retries=1):
                answered.add((address, speed))
