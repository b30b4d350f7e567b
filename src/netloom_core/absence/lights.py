"""What a person saw at the device: its lights and sounds are evidence where it says nothing on the wire."""

from __future__ import annotations

from netloom_core.absence.case import Case
from netloom_core.model.sighting import Reason

# What a pattern says, and how much it explains that nothing answers.
WEIGHTS = {"no-link": 97, "no-address": 97, "fault": 97, "updating": 96, "resetting": 96, "reset": 95, "starting": 95}
DARK, OTHER = 97, 30
PATTERNS = {
    "off": "is dark",
    "steady": "is lit",
    "slow": "blinks slowly",
    "fast": "blinks fast",
    "double": "blinks twice",
    "alternating": "alternates",
    "chime": "chimes",
    "tone": "sounds on and on",
}


async def told_by_lights(case: Case) -> list[Reason]:
    """One reason for each light that somebody looked at, with what its profile says that it means."""
    lights = {light.printed: light for light in (case.profile.lights if case.profile else ())}
    reasons = []
    for looked in case.history.looked:
        light = lights.get(looked.printed)
        patterns = {(str(one.pattern), one.colour): one for one in (light.patterns if light else ())}
        meaning = patterns.get((looked.pattern, looked.colour))
        if light is None or meaning is None:
            continue
        colour = f" {meaning.colour}" if meaning.colour else ""
        reasons.append(
            Reason(
                f"Its {light.kind} {light.printed} {PATTERNS[meaning.pattern]}{colour}: {meaning.means}",
                meaning.then or "The other reasons stand.",
                f"{looked.by} looked at it {looked.minutes} min ago.",
                DARK if meaning.pattern == "off" else WEIGHTS.get(meaning.says, OTHER),
            )
        )
    return reasons
