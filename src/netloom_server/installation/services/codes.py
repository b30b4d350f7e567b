"""Codes by which devices let in: whether one still has its factory's, new ones for many, and who looked at one.

Codes are decided like any value, as secrets, and written by a plan, which proves each by signing in with it.
"""

from __future__ import annotations

import re
import secrets
from collections.abc import Sequence
from dataclasses import dataclass

from netloom_core.documents.tree import MISSING, get
from netloom_core.errors import RequestError
from netloom_core.library.load import Library
from netloom_core.model.secrets import PREFIX, is_reference
from netloom_core.profiles.item import Item
from netloom_core.profiles.profile import Profile
from netloom_core.types.secret import Secret as SecretType
from netloom_server.base.problems import Conflict
from netloom_server.base.sealing import unseal
from netloom_server.installation.models import Credential, Device
from netloom_server.installation.services.decisions import named, profile_of, set_intended

LETTERS = "abcdefghjkmnpqrstuvwxyz23456789"  # none that is taken for another one on paper
DIGITS = "0123456789"
USUAL = 12
SHORT = 8  # what is at most so long is typed at a keypad
MOST_RANDOM = 32
_RANDOM = re.compile(r"\{random(?::(\d{1,2}))?\}")


@dataclass(frozen=True)
class Code:
    """`user` is empty where nobody has a name there."""

    device: str
    name: str
    serial: str
    user: str
    code: str


def standing(device: Device, profile: Profile | None, own: bool) -> str:
    """`factory` while it is got into by what its profile says that factories set, `own` by what people gave; empty
    where no code is known or needed."""
    if own:
        return "own"
    item = profile.with_role("password") if profile is not None else None
    if profile is None or item is None or not (profile.factory.password and device.seen):
        return ""
    return "factory"


def give(devices: Sequence[Device], pattern: str, by: str, library: Library) -> list[Code]:
    """Decide a new code for each, by a pattern or at random; what comes back is shown this once.

    In a pattern stand what names have ({n}, {nn}, {serial}, {area} …) and {random} or {random:4}. All or none: raises
    RequestError where one has no code that can be set, or a code that it would not take; Conflict where two of
    them would be alike by a pattern that has something of each in it.
    """
    made: list[tuple[Item, Code]] = []
    for number, device in enumerate(devices, 1):
        if not device.taken_in:
            raise RequestError(f"{device.name} is not taken in.", "Take it in first, under Survey.")
        profile = profile_of(device, library)
        item = profile.with_role("password")
        if item is None or item.reserved:
            raise RequestError(f"{device.name}, a {profile.model}, has no code that can be set from here.",
                               "Leave it out. Nothing was decided.")  # fmt: skip
        code = _code(pattern, number, device, item, library)
        made.append((item, Code(device.id, device.name, device.serial, _user(device, profile), code)))
    if "{" in pattern and len({one.code for _, one in made}) < len(made):
        raise Conflict("By this pattern some of them would have the same code.",
                       "Put {n}, {serial} or {random} into it. Nothing was decided.")  # fmt: skip
    set_intended([(one.device, item.path, one.code) for item, one in made], library, by=by)
    return [one for _, one in made]


def _code(pattern: str, number: int, device: Device, item: Item, library: Library) -> str:
    kind = item.type
    assert isinstance(kind, SecretType)
    if kind.hex:
        return secrets.token_hex(kind.min_length // 2)  # a key is for machines: no pattern makes one
    if not pattern:
        return _random(max(kind.min_length, min(USUAL, kind.max_length)), kind.max_length)
    text = _RANDOM.sub(lambda found: _random(min(int(found[1] or USUAL), MOST_RANDOM), kind.max_length), pattern)
    code = named(text, number, device, device.area, library, many=False)
    if not kind.min_length <= len(code) <= kind.max_length:
        raise RequestError(
            f"The code for {device.name} would have {len(code)} letters; it takes {kind.min_length} to "
            f"{kind.max_length}.",
            "Change the pattern. Nothing was decided.",
        )
    return code


def _random(length: int, most: int) -> str:
    signs = DIGITS if most <= SHORT else LETTERS
    return "".join(secrets.choice(signs) for _ in range(length))


def _user(device: Device, profile: Profile) -> str:
    own = getattr(device, "credential", None)
    return own.user if own is not None else profile.factory.user


def reveal(device: Device, library: Library) -> Code:
    """The code by which it is got into now, and one that is decided and not written yet. Whoever asks stands in the
    journal; that is the caller's. Raises RequestError where none is kept here, KeyLost."""
    profile = profile_of(device, library)
    own = Credential.objects.filter(device=device).first()
    if own is not None:
        return Code(device.id, device.name, device.serial, own.user, unseal(bytes(own.secret)))
    item = profile.with_role("password")
    wanted = get(device.intended, item.path) if item is not None else MISSING
    if isinstance(wanted, str) and is_reference(wanted):
        kept = device.secrets.filter(id=wanted.removeprefix(PREFIX)).first()
        if kept is not None:
            return Code(device.id, device.name, device.serial, _user(device, profile), unseal(bytes(kept.secret)))
    raise RequestError(f"No code of {device.name} is kept here.", "Its factory's is in the maker's papers.")
