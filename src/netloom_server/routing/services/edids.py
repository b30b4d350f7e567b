"""EDIDs: kept by name, read and checked, held against the displays behind an input."""

from __future__ import annotations

from typing import Any

from django.db import IntegrityError, transaction

from netloom_core.edid.choose import Source, in_preference, pick, promised_in_vain
from netloom_core.edid.model import Edid, Mode
from netloom_core.edid.parse import NoEdid, from_file, parse
from netloom_core.errors import RequestError
from netloom_core.profiles.jacks import called
from netloom_core.routing import site as core
from netloom_core.routing.paths import behind
from netloom_server.base.problems import Conflict, NotFound
from netloom_server.routing.models import StoredEdid

MOST, MOST_LETTERS = 500, 70_000


def read(text: str) -> tuple[str, Edid]:
    """Hexadecimal digits, or the text of a file that shows them. Raises RequestError."""
    if len(text) > MOST_LETTERS:
        raise RequestError("That is too long for an EDID.", "It has 128 to 32768 bytes.")
    try:
        data = from_file(text.encode("latin-1", "replace"))
        return data.hex(), parse(data)
    except NoEdid as error:
        raise RequestError(error.message, error.hint) from error


def keep(name: str, text: str, origin: str, by: str) -> StoredEdid:
    """Raises RequestError where it is none or damaged, Conflict where the name is taken."""
    data, found = read(text)
    wrong = [one.message for one in found.findings if one.severity == "error" and one.where in ("checksum", "blocks")]
    if wrong:
        raise RequestError(f"That EDID is damaged: {wrong[0]}.", "Take it anew from the display. Nothing was kept.")
    if StoredEdid.objects.filter(name__iexact=name.strip()).exists():
        raise Conflict(f"An EDID named {name.strip()} is kept already.", "Choose another name.")
    if StoredEdid.objects.count() >= MOST:
        raise Conflict(f"At most {MOST} EDIDs are kept.", "Drop those that nobody uses.")
    try:
        with transaction.atomic():
            return StoredEdid.objects.create(name=name.strip(), octets=data, origin=origin, by=by)
    except IntegrityError as error:
        raise Conflict("Somebody kept one of that name just now.", "Look again. Nothing was changed.") from error


def by_word(word: str) -> StoredEdid:
    found = StoredEdid.objects.filter(id=word).first() or StoredEdid.objects.filter(name__iexact=word[:80]).first()
    if found is None:
        raise NotFound(f"There is no EDID {word[:80]!r}.", "Nothing was changed.")
    return found


def shown(data: str, edid: Edid) -> dict[str, Any]:
    """All of it in words, first things first."""
    chosen = pick(edid, Source())
    return {
        "octets": data,
        "name": edid.name,
        "maker": edid.maker,
        "product": edid.product,
        "serial": edid.serial,
        "made": edid.made,
        "version": edid.version,
        "interface": edid.interface or ("digital" if edid.digital else "analogue"),
        "size_mm": [edid.width_mm, edid.height_mm],
        "modes": [_mode(mode, why) for mode, why in in_preference(edid)],
        "sounds": [one.label for one in edid.sounds] or (["Basic audio"] if edid.basic_audio else []),
        "speakers": list(edid.speakers),
        "colours": [*edid.colours, *edid.colorimetry],
        "depths": _depths(edid),
        "hdmi": _hdmi(edid),
        "hdr": _hdr(edid),
        "blocks": list(edid.blocks),
        "findings": [{"severity": one.severity, "where": one.where, "message": one.message} for one in edid.findings],
        "picks": chosen.mode.label if chosen.mode else "",
        "because": chosen.because,
    }


def _mode(mode: Mode, why: str) -> dict[str, Any]:
    return {
        "label": mode.label,
        "said_by": mode.said_by,
        "vic": mode.vic,
        "clock_mhz": round(mode.clock / 1000, 3),
        "only_420": mode.only_420,
        "why": why,
    }


def _depths(edid: Edid) -> list[int]:
    return sorted({edid.bits, *(edid.hdmi.deep_colour if edid.hdmi else ())} - {0})


def _hdmi(edid: Edid) -> str:
    if edid.hdmi is None:
        return ""
    words = [f"port {edid.hdmi.port}"] if edid.hdmi.port else []
    if edid.hdmi.frl:
        words.append(f"{edid.hdmi.frl} Gbit/s by fixed-rate link")
    elif edid.hdmi.most_clock:
        words.append(f"up to {edid.hdmi.most_clock / 1000:g} MHz")
    return ", ".join(words) or "yes"


def _hdr(edid: Edid) -> str:
    if edid.hdr is None:
        return ""
    return ", ".join([*edid.hdr.curves, *([f"{edid.hdr.most:g} cd/m²"] if edid.hdr.most else [])])


def at_inputs(site: core.Site, thing: core.Thing) -> list[dict[str, Any]]:
    """For each input that shows an EDID: what it shows, the displays that it reaches now, and what is promised there
    in vain."""
    rows = []
    for ident, jack in thing.jacks.items():
        if jack.way != "in" or not jack.edid:
            continue
        displays = [(name, data) for name, data in behind(site, core.End(thing.id, ident)) if data]
        rows.append(
            {
                "jack": ident,
                "label": called(thing.profile, jack, thing.facts),
                "path": jack.edid,
                "edid": _told(thing.text(jack.edid)),
                "displays": [{"name": name, "edid": _told(data)} for name, data in displays],
                "in_vain": _in_vain(thing.text(jack.edid), displays),
            }
        )
    return rows


def _told(data: str) -> dict[str, Any] | None:
    try:
        return shown(data, parse(bytes.fromhex(data))) if data else None
    except (NoEdid, ValueError):
        return None


def _in_vain(offered: str, displays: list[tuple[str, str]]) -> list[str]:
    try:
        mine = parse(bytes.fromhex(offered)) if offered else None
        theirs = [(name, parse(bytes.fromhex(data))) for name, data in displays]
    except (NoEdid, ValueError):
        return []
    return promised_in_vain(mine, theirs) if mine is not None else []
