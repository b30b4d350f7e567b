"""By what devices are got into: a login for one device, for all of a model, or for the whole installation, by level.

A device's own goes first. Where it has none, its model's, else the installation's, is tried before its factory's; the
installation's only with devices that are known to have a code of that level and that say who they are before anybody
signs in, so that it is told to nobody else.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from netloom_core.documents.tree import MISSING, get
from netloom_core.errors import RequestError
from netloom_core.library.load import Library
from netloom_core.model.device import Credentials
from netloom_core.model.secrets import reference
from netloom_core.profiles.levels import Ladder
from netloom_core.profiles.profile import Profile
from netloom_server.base.problems import NotFound
from netloom_server.base.sealing import seal, unseal
from netloom_server.installation.models import Credential, Device, SharedLogin

Shared = Mapping[tuple[str, str], SharedLogin]  # by profile ("" for all) and level
NO_LADDER = Ladder((), {})
MOST_SENT = 3  # of those that may be on it; many devices lock after some wrong ones


@dataclass(frozen=True)
class Known:
    """Which login is used at a level: `by` is own, model, installation, factory, or empty where none is known."""

    level: str
    label: str
    by: str
    user: str
    can_set: bool


def shared() -> Shared:
    return {(one.profile, one.level): one for one in SharedLogin.objects.all()}


def own_levels(devices: Sequence[str] | None = None) -> dict[str, set[str]]:
    """By device the levels at which it has a login of its own."""
    rows = Credential.objects.all() if devices is None else Credential.objects.filter(device__in=devices)
    found: dict[str, set[str]] = {}
    for device, level in rows.values_list("device_id", "level"):
        found.setdefault(device, set()).add(level)
    return found


def _factory(profile: Profile | None, level: str) -> Credentials | None:
    if profile is None:
        return None
    if level:
        known = profile.ladder.factory(level)
        return Credentials(*known, level) if known else None
    factory = profile.factory
    return Credentials(factory.user, factory.password) if factory.user or factory.password else None


def _for_many(profile: Profile | None, level: str, many: Shared) -> tuple[str, SharedLogin] | None:
    """The login of its model, else of the installation, and which of them that is."""
    if profile is None:
        return None
    if (one := many.get((profile.id, level))) is not None:
        return "model", one
    factory = _factory(profile, level)
    coded = level in profile.ladder.codes or bool(factory is not None and factory.password)
    by_name = level or next((one.name for one in profile.levels if one.usual), "")
    one = (many.get(("", by_name)) or many.get(("", level))) if coded else None
    if one is None or (not one.user and profile.speaks("snmp")):  # a nameless one would go out as a community
        return None
    if not all(channel.known_first for channel in profile.channels.values()):
        return None  # whoever sits at its address would be told it
    return "installation", one


def of(
    device: Device, profile: Profile | None, many: Shared, cameras: Sequence[Credentials], secrets: Mapping[str, str]
) -> tuple[Credentials, ...]:
    """All by which it may be got into, the likeliest of each level first. `cameras` are those of its line. Raises
    KeyLost."""
    ladder = profile.ladder if profile is not None else NO_LADDER
    own = {one.level: one for one in device.logins.all()}
    found: list[Credentials] = []
    for level in ladder.names:
        here: list[Credentials] = []
        if level in own:
            here.append(Credentials(own[level].user, unseal(bytes(own[level].secret)), level))
        else:
            if (known := _for_many(profile, level, many)) is not None:
                here.append(Credentials(known[1].user, unseal(bytes(known[1].secret)), level))
            here += cameras if not level else ()
            if (factory := _factory(profile, level)) is not None and factory not in here:
                here.append(factory)
        found += here
        found += _coming(device, ladder, level, here, secrets)
    return tuple(found)


def _coming(
    device: Device, ladder: Ladder, level: str, known: Sequence[Credentials], secrets: Mapping[str, str]
) -> list[Credentials]:
    """Logins that may be on the device already: the one that is decided, and those that were sent before and are not
    settled, since something went wrong. Nobody must be locked out by what we do not know."""
    item = ladder.codes.get(level)
    wanted = get(device.intended, item.path) if item is not None else MISSING
    sent = sorted((one for one in device.secrets.all() if one.sent == level), key=lambda one: one.set_at)
    found: list[Credentials] = []
    for secret in (str(wanted), *(reference(one.id) for one in sent[-MOST_SENT:])):
        text = secrets.get(secret, "")
        login = Credentials(known[0].user if known else "", text, level)
        if text and login not in (*known, *found):
            found.append(login)
    return found


def known_of(device: Device, profile: Profile | None, many: Shared) -> list[Known]:
    """What is known of each of its levels, lowest first."""
    ladder = profile.ladder if profile is not None else NO_LADDER
    own = {one.level: one for one in device.logins.all()}
    found = []
    for level in ladder.names:
        by, user = "", ""
        if level in own:
            by, user = "own", own[level].user
        elif (one := _for_many(profile, level, many)) is not None:
            by, user = one[0], one[1].user
        elif (factory := _factory(profile, level)) is not None:
            by, user = "factory", factory.user
        item = ladder.codes.get(level)
        label = ladder.called(level) if ladder.levels else ""
        found.append(Known(level, label[:1].upper() + label[1:], by, user, item is not None and not item.reserved))
    return found


def save(device: Device, level: str, user: str, password: str, by: str) -> None:
    """How Netloom gets into it from now on. Raises RequestError where it has no such level."""
    Credential.objects.update_or_create(
        device=device, level=level, defaults={"user": user, "secret": seal(password), "set_by": by}
    )


def level_named(profile: Profile | None, word: str) -> str:
    """The level that somebody means, "" for the usual one. Raises RequestError with those that there are."""
    ladder = profile.ladder if profile is not None else NO_LADDER
    found = ladder.named(word)
    if found is None:
        names = ", ".join(level.name for level in ladder.levels)
        model = profile.model if profile is not None else "A device without a profile"
        there = f"It has {names}." if names else "It has one code only: leave the level out."
        raise RequestError(f"{model} has no level {word}.", there)
    return found


def save_shared(ident: str, level: str, user: str, password: str, by: str, library: Library) -> SharedLogin:
    """One for all of a model, or, with an empty `ident`, for the installation. Raises RequestError, ProfileError."""
    profile = library.need(ident) if ident else None
    own = level_named(profile, level) if profile is not None else level
    if profile is None and level and not any(one.ladder.named(level) is not None for one in library):
        raise RequestError(f"No model here has a level {level}.", "Leave the level out for the usual code.")
    made, _ = SharedLogin.objects.update_or_create(
        profile=ident, level=own, defaults={"user": user, "secret": seal(password), "set_by": by}
    )
    return made


def forget_shared(number: int) -> None:
    if not SharedLogin.objects.filter(id=number).delete()[0]:
        raise NotFound("That login is gone already.", "Nothing was changed.")
