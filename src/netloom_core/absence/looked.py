"""Whether a sweep could have met a device at all, by what its methods did: else nobody may call it missing. Pure."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from netloom_core.model.said import Seen, seen
from netloom_core.model.sighting import Reason
from netloom_core.sweep.sweep import Report, aliases

WEIGHT = 100


def could_meet(met: Iterable[str], reports: Sequence[Report]) -> list[Report]:
    """Reports of those methods by which it was met before; of all where it never was."""
    before = set(met)
    usual = [report for report in reports if before & set(aliases(report.method))]
    return usual or list(reports)


def was_looked_for(met: Iterable[str], place: str, reports: Sequence[Report]) -> Seen:
    """Whether any method that could have met it there asked, and came to its end. `reports` are those of its line."""
    ended = [one for one in could_meet(met, reports) if one.state == "done" and not one.passed_over(place)]
    return seen(asked=bool(ended), told=False)


def why_not(met: Iterable[str], place: str, reports: Sequence[Report]) -> Reason:
    """What kept it from being looked for, with what belongs to that."""
    could = could_meet(met, reports)
    failed = next((one for one in could if one.state in ("failed", "cut") and one.notes), None)
    passed = next((one for one in could if one.passed_over(place)), None)
    if failed is not None:
        why, then = failed.notes[-1], failed.remedy
    elif passed is not None:
        why, then = f"{passed.title} did not get to ask {place}.", ""
    elif not could:
        why, then = "No method looked along its line.", "Look which methods are switched off."
    else:
        why, then = f"{could[0].title} did not come to its end.", ""
    text = f"It was not looked at, so nobody knows whether it is there: {why}"
    return Reason(text, then or "Sweep the line again.", "The sweep's own reports were looked at.", WEIGHT)
