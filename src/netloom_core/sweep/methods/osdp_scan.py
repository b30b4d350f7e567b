"""Scan of an OSDP multi-drop line: who answers, at which address, at which speed.

Only asks for identities: nothing is changed.
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
from netloom_core.sweep.multidrop import Place, Walk, expected_on, seconds_for_missing
from netloom_core.sweep.noise import Noise

GARBLED_TRIES = 2
ABLE = {"inputs": CONTACTS, "outputs": OUTPUTS, "lamps": LAMPS, "sounders": SOUNDERS, "texts": TEXTS}
Told = TypeVar("Told")
BUDGET_EACH_S = 0.25  # of one question, with late and garbled ones asked again


class LedByAnother(LinkError):
    """Another control panel speaks on the bus; what was found may be incomplete."""

    code = "led-by-another"


def speeds_for(line: Line, usual: tuple[int, ...]) -> list[int]:
    return list(dict.fromkeys([line.speed, *usual]))


def places(look: Look, expected: list[Place], factory: set[int], speeds: list[int]) -> list[Place]:
    """In the order of likelihood: where units should be and where factories put them,
    at every speed; then all addresses at the line's speed, then at the other usual ones."""
    likely = sorted({place.address for place in expected} | factory)
    found = [*expected, *(Place(address, speed) for speed in speeds for address in likely)]
    return [*found, *(Place(address, speed) for speed in speeds for address in range(MAX_ADDRESS + 1))]


class Bus:
    """OSDP on one line, as the walk needs it."""

    usual, full = SCAN_TIMEOUT_S, REPLY_TIMEOUT_S

    def __init__(self, look: Look, owner: SerialOwner, noise: Noise) -> None:
        self._look, self._owner, self._noise = look, owner, noise

    async def listen(self, seconds: float) -> None:
        await self._owner.listen(seconds)

    async def ask(self, place: Place, seconds: float) -> bool:
        """One question; a sighting if anything came back. Garbled answers are asked again."""
        address, speed = place
        look, owner, noise = self._look, self._owner, self._noise
        garbled: list[float] = []
        for attempt in range(GARBLED_TRIES + 1):
            talk = Session(address, retries=0)
            await look.pace.take()
            try:
                ident = await owner.converse(
                    address, speed, flows.identify(), who="sweep", timeout=seconds, session=talk
                )
            except NoAnswer:
                owner.spoiled.extend(garbled)  # that was not this one
                noise.silent(speed)
                return False
            except ProtocolError:
                garbled.append(owner.garbled_at)
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
            owner.spoiled.extend(garbled)  # a late answer of another, that met this one's
            noise.sound(speed)
            facts = {**identity_of(ident).facts, **await self._able(place, talk)}
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

    async def _able(self, place: Place, talk: Session) -> dict[str, str]:
        """What it says that it can, and whether it answers more than its identity without its secure channel.

        Only asks. What it does not answer is one fact less.
        """
        facts: dict[str, str] = {}

        async def asked(flow: Generator[Command, Reply, Told]) -> Told:
            await self._look.pace.take()
            return await self._owner.converse(*place, flow, who="sweep", timeout=self.full, session=talk)

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
        except ProtocolError:
            self._owner.spoiled.append(self._owner.garbled_at)
        except (DeviceError, NoAnswer, Unproven):
            pass
        return facts


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
        speeds = len(speeds_for(look.line, self._speeds))
        return 60.0 + BUDGET_EACH_S * (MAX_ADDRESS + 1) * speeds + seconds_for_missing(look, REPLY_TIMEOUT_S, speeds)

    def fits(self, line: Line, library: Library) -> bool:
        return line.kind == "serial" and line.protocol == "osdp"

    async def run(self, look: Look) -> None:
        owner, noise = look.owners.serial(look.line), Noise(look, self.name)
        speeds, expected = speeds_for(look.line, self._speeds), expected_on(look)
        factory = {int(a) for p in look.library if p.speaks("osdp") for a in p.factory.addresses if a.isdecimal()}
        owner.listen_anew()
        walk = Walk(look, Bus(look, owner, noise), noise, expected, factory)
        await walk.walk(places(look, expected, factory, speeds), speeds)
        noise.end()
        if owner.led_by_another:
            raise LedByAnother(
                f"Somebody else leads the bus {look.line.name}: another control panel polls it at the same time.",
                "Two leaders spoil each other's answers. Take the other one off the bus while you work on it.",
                target=look.line.name,
            )
