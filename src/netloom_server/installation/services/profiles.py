"""Profiles of one's own: checked, kept as they were written, and taken before those that ship."""

from __future__ import annotations

import logging
from typing import Any

from django.conf import settings

from netloom_core.errors import NetloomError
from netloom_core.library.cache import read_kept
from netloom_core.library.load import Library
from netloom_core.library.read import own_profile
from netloom_core.profiles.profile import Profile
from netloom_server.base.problems import NotFound
from netloom_server.installation.models import Device, OwnProfile

log = logging.getLogger("netloom.profiles")

MARKED = ("relay", "input", "door", "lamp", "state")  # kinds, first things first
MOST_MARKS, MOST_STATES = 16, 6


def shipped() -> Library:
    """Those of the program."""
    return read_kept(settings.PROFILES, settings.DATA / "cache/profiles", settings.SECRET_KEY.encode())


def library() -> Library:
    """Those that ship, and one's own."""
    found = shipped()
    take_own(found)
    return found


def take_own(library: Library) -> None:
    """Put in those that people added. One that a newer Netloom does not take any more is left out, with a word."""
    for own in OwnProfile.objects.all():
        try:
            library.put(read(own.text, own.name, library))
        except NetloomError as error:
            log.warning("the own profile %s was left out: %s", own.ident, error.message)


def read(text: str, name: str, library: Library) -> Profile:
    """Raises ProfileError with the place and the trouble."""
    return own_profile(text.encode(), name, library.parts)


def add(text: str, name: str, library: Library, by: str) -> Profile:
    """From now on everybody has it. Devices of a profile that it replaces keep their documents."""
    profile = read(text, name, library)
    OwnProfile.objects.update_or_create(ident=profile.id, defaults={"name": name, "text": text, "added_by": by})
    library.put(profile)
    _touch(profile.id)
    return profile


def drop(ident: str, library: Library) -> None:
    """The one that ships is back, where there is one."""
    gone, _ = OwnProfile.objects.filter(ident=ident).delete()
    if not gone:
        raise NotFound(f"There is no profile {ident} that was added here.", "`netloom profile list` shows them.")
    library.drop(ident)
    for one in shipped():
        if one.id == ident:
            library.put(one)
    _touch(ident)


def _touch(ident: str) -> None:
    """What is shown of devices of that model is made anew."""
    Device.objects.filter(profile=ident).update(profile=ident)


def rows(library: Library) -> list[dict[str, Any]]:
    own = dict(OwnProfile.objects.values_list("ident", "added_by"))
    return [
        {
            "id": p.id,
            "maker": p.maker,
            "model": p.model,
            "kind": p.kind,
            "protocol": p.protocol,
            "line_kinds": p.line_kinds,
            "aliases": p.aliases,
            "own": p.id in own,
            "added_by": own.get(p.id, ""),
            "values": len(p.by_path),
            "points": len(p.by_point),
            "marks": marks(p),
        }
        for p in library
    ]


def marks(profile: Profile) -> list[dict[str, str]]:
    """The live points that are drawn small: those that rest in one state and are otherwise in another."""
    few = [one for one in profile.by_point.values() if one.live and 2 <= len(one.states) <= MOST_STATES]
    few.sort(key=lambda one: MARKED.index(one.kind) if one.kind in MARKED else len(MARKED))
    return [{"point": one.id, "label": one.label, "rest": one.states[0]} for one in few if one.kind != "crosspoint"][
        :MOST_MARKS
    ]
