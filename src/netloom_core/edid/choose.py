"""What a source makes of an EDID: which mode it picks, whether sound goes along, and what an EDID promises in vain.

A source begins with what the display would like best: its video format preference (CTA-861-H, 7.5.12), else its
preferred timing (E-EDID A2, 3.10.1), else what is native to it, else the largest of what is left. It takes the first
of these that it can make and the link carries.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from netloom_core.edid.model import Edid, Mode, tmds_clock
from netloom_core.edid.vics import table

DVI_CLOCK = 165_000  # of a single link, kHz


@dataclass(frozen=True)
class Source:
    """What a source, or whatever is between it and the display, can do. Clocks in kHz, 0 where there is no limit."""

    most_clock: int = 0
    most_width: int = 0
    most_height: int = 0
    interlaced: bool = True
    hdmi: bool = True
    can_420: bool = True

    def makes(self, mode: Mode, edid: Edid) -> str:
        """Why it does not make that mode; empty where it does."""
        limits = [one for one in (self.most_clock, _most_of(edid)) if one]
        if mode.interlaced and not self.interlaced:
            return "it makes no interlaced picture"
        if mode.only_420 and not self.can_420:
            return "it makes no 4:2:0"
        if (self.most_width and mode.width > self.most_width) or (self.most_height and mode.height > self.most_height):
            return f"it goes to {self.most_width}x{self.most_height}"
        need = tmds_clock(mode)
        if limits and need > min(limits) * 1.005:
            who = "it" if self.most_clock and self.most_clock == min(limits) else "the display"
            return f"it needs {need / 1000:g} MHz, and {who} goes to {min(limits) / 1000:g}"
        return ""


def _most_of(edid: Edid) -> int:
    if edid.hdmi is not None and edid.hdmi.frl:
        return 0
    if edid.hdmi is not None:
        return edid.hdmi.most_clock or DVI_CLOCK
    return DVI_CLOCK if edid.interface == "DVI" else 0


@dataclass(frozen=True)
class Pick:
    """What a source picks: `mode` is None where nothing fits; `passed` is what it would rather have, and why not."""

    mode: Mode | None
    because: str
    passed: tuple[tuple[Mode, str], ...] = ()
    sound: bool = False


def in_preference(edid: Edid) -> list[tuple[Mode, str]]:
    """All modes, the one that it would like best first, with the reason of its rank."""
    found: list[tuple[Mode, str]] = []
    detailed = [mode for mode in edid.modes if mode.said_by == "detailed timing"]
    for code in edid.preference:
        if 129 <= code <= 144 and code - 129 < len(detailed):
            found.append((detailed[code - 129], "the display's list of preference"))
        elif code in table():
            found.append((table()[code], "the display's list of preference"))
    found += [(mode, "the display's preferred timing") for mode in edid.modes if mode.preferred]
    found += [(mode, "native to the display") for mode in edid.modes if mode.native]
    rest = sorted(edid.modes, key=lambda m: (-m.width * m.height, m.interlaced, -round(m.refresh)))
    found += [(mode, "the largest of what is left") for mode in rest]
    once: dict[tuple[object, ...], tuple[Mode, str]] = {}
    for mode, why in found:
        once.setdefault((*mode.size, mode.only_420), (mode, why))
    return list(once.values())


def pick(edid: Edid, source: Source) -> Pick:
    passed: list[tuple[Mode, str]] = []
    for mode, because in in_preference(edid):
        why_not = source.makes(mode, edid)
        if not why_not:
            return Pick(mode, because, tuple(passed), source.hdmi and edid.sound_by_hdmi)
        passed.append((mode, why_not))
    return Pick(None, "nothing that the display takes can be made", tuple(passed))


def takes(edid: Edid, width: int, height: int, refresh: float | None, *, interlaced: bool = False) -> bool:
    """Whether it says that it takes such a picture; at any rate where none is given."""
    return any(
        (mode.width, mode.height, mode.interlaced) == (width, height, interlaced)
        and (refresh is None or round(mode.refresh) == round(refresh))
        for mode in edid.modes
    )


def promised_in_vain(offered: Edid, displays: Sequence[tuple[str, Edid]]) -> list[str]:
    """What a source is told at an input that a display behind it does not have, in words."""
    said = []
    for name, display in displays:
        have = {mode.size for mode in display.modes}
        best = [mode for mode, _ in in_preference(offered) if mode.size not in have]
        first = in_preference(offered)[:1]
        if first and first[0][0] in best:
            said.append(f"{name} does not take {first[0][0].label}, which a source would pick")
        elif best:
            more = f" and {len(best) - 3} more" if len(best) > 3 else ""
            said.append(f"{name} does not take {', '.join(mode.label for mode in best[:3])}{more}")
        said += [f"{name} {what}" for what in _lacks(offered, display)]
    return said


def _lacks(offered: Edid, display: Edid) -> list[str]:
    found = []
    if offered.sound_by_hdmi and not display.sound_by_hdmi:
        found.append("takes no sound")
    else:
        forms = {sound.form for sound in display.sounds} | {"LPCM"}
        missing = list(dict.fromkeys(sound.form for sound in offered.sounds if sound.form not in forms))
        if missing:
            found.append(f"takes no {', '.join(missing)}")
    curves = set(display.hdr.curves) if display.hdr else set()
    high = [curve for curve in (offered.hdr.curves if offered.hdr else ()) if curve not in curves and curve != "SDR"]
    if high:
        found.append(f"shows no {', '.join(high)}")
    if _depth(offered) > _depth(display):
        found.append(f"takes {_depth(display)} bits a colour, not {_depth(offered)}")
    return found


def _depth(edid: Edid) -> int:
    deep = edid.hdmi.deep_colour if edid.hdmi else ()
    return max([8, *deep]) if edid.hdmi else edid.bits or 8
