"""Codes by which devices let in: whether one still has its factory's, new ones for many, and who looked at one.

Codes are decided like any value, as secrets, and written by a plan, which proves each by signing in with it.
"""

from __future__ import annotations

import re
import secrets
from collections.abc import Sequence, Set
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
from netloom_server.installation.services.logins import known_of, level_named, shared

LETTERS = "abcdefghjkmnpqrstuvwxyz23456789"  # none that is taken for another one on paper
DIGITS = "0123456789"
USUAL = 12
SHORT = 8  # what is at most so long is typed at a keypad
MOST_RANDOM = 32
_RANDOM = re.compile(r"\{random(?::(\d{1,2}))?\}")


@dataclass(frozen=True)
class Code:
    """`user` is empty where nobody has a name there, `level` the code's name where the device has several."""

    device: str
    name: str
    serial: str
    level: str
    user: str
    code: str


def standing(device: Device, profile: Profile | None, own: Set[str]) -> str:
    """`factory` while one of its codes that can be set is as its profile says that factories set it, `own` where those
    that people gave are known, by level; empty where no code is known or needed."""
    if profile is None:
        return "own" if own else ""
    for level in profile.ladder.codes.keys() - own:
        factory = profile.ladder.factory(level) if level else (profile.factory.user, profile.factory.password)
        if factory is not None and factory[1] and device.seen:
            return "factory"
    return "own" if own else ""


def give(
    devices: Sequence[Device], pattern: str, by: str, library: Library, levels: Sequence[str] | None = None
) -> list[Code]:
    """Decide new codes for each, by a pattern or at random; what comes back is shown this once.

    Of a device with several codes those of the named `levels`, else all. In a pattern stand what names have ({n}, {nn},
    {serial}, {area} …), {level}, and {random} or {random:4}. All or none: raises RequestError where one has no code
    that can be set, or a code that it would not take; Conflict where two of them would be alike by a pattern that has
    something of each in it, or two of one device by any.
    """
    made: list[tuple[Item, Code]] = []
    for number, device in enumerate(devices, 1):
        if not device.taken_in:
            raise RequestError(f"{device.name} is not taken in.", "Take it in first, under Survey.")
        profile = profile_of(device, library)
        items = _settable(profile, levels)
        if not items:
            level = f" of the level {', '.join(levels)}" if levels else ""
            raise RequestError(f"{device.name}, a {profile.model}, has no code{level} that can be set from here.",
                               "Leave it out. Nothing was decided.")  # fmt: skip
        for level, item in items.items():
            called = _called(profile, level)
            code = _code(pattern.replace("{level}", called.lower()), number, device, item, library)
            user = _user(device, profile, level)
            made.append((item, Code(device.id, device.name, device.serial, called, user, code)))
    if "{" in pattern and len({one.code for _, one in made}) < len(made):
        raise Conflict("By this pattern some of them would have the same code.",
                       "Put {n}, {serial} or {random} into it. Nothing was decided.")  # fmt: skip
    if len({(one.device, one.code) for _, one in made}) < len(made):
        raise Conflict("Two codes of one device would be the same: which of them lets in, nobody could tell.",
                       "Put {level} or {random} into the pattern. Nothing was decided.")  # fmt: skip
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


def _settable(profile: Profile, levels: Sequence[str] | None) -> dict[str, Item]:
    """The codes of these levels, lowest first, by level."""
    ladder = profile.ladder
    chosen = set(ladder.names) if levels is None else {ladder.named(word) for word in levels}
    return {level: item for level in ladder.names if level in chosen and (item := ladder.codes.get(level)) is not None
            and not item.reserved}  # fmt: skip


def _called(profile: Profile, level: str) -> str:
    return next((one.name for one in profile.levels if one.name == level or (one.usual and not level)), "")


def _user(device: Device, profile: Profile, level: str) -> str:
    known = known_of(device, profile, shared())
    return next((one.user for one in known if one.level == level), "")


def reveal(device: Device, library: Library, word: str = "") -> Code:
    """The code by which it is got into now at a level, or one that is decided and not written yet. Whoever asks stands
    in the journal; that is the caller's. Raises RequestError where none is kept here, KeyLost."""
    profile = profile_of(device, library)
    level = level_named(profile, word)
    called = _called(profile, level)
    own = Credential.objects.filter(device=device, level=level).first()
    if own is not None:
        return Code(device.id, device.name, device.serial, called, own.user, unseal(bytes(own.secret)))
    item = profile.ladder.codes.get(level)
    wanted = get(device.intended, item.path) if item is not None else MISSING
    if isinstance(wanted, str) and is_reference(wanted):
        kept = device.secrets.filter(id=wanted.removeprefix(PREFIX)).first()
        if kept is not None:
            return Code(
                device.id, device.name, device.serial, called, _user(device, profile, level), unseal(bytes(kept.secret))
            )
    raise RequestError(f"No code of {device.name} is kept here.", "Its factory's is in the maker's papers.")
