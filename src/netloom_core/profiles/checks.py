"""What a profile asks of its protocols, held against what they can do: nothing of the kind fails later. Pure."""

from __future__ import annotations

import re
from collections.abc import Iterator

from netloom_core.profiles.schema import Profile, Setting

WHOLE = ("integer", "boolean")
OSDP_DRIVEN = ("relay",)
TABLE_MAX = 2**31 - 1


def problems(profile: Profile) -> Iterator[str]:
    """One sentence for each thing that would fail at run time, naming where it is."""
    yield from _settings(profile)
    yield from _points(profile)
    yield from _console(profile)
    if profile.reach.osdp is not None:
        yield from _osdp(profile)
    if profile.reach.http is not None:
        yield from _http(profile)


def _settings(profile: Profile) -> Iterator[str]:
    for path, setting in profile.by_path.items():
        if setting.minimum is not None and setting.maximum is not None and setting.minimum > setting.maximum:
            yield f"{path}: its minimum is above its maximum"
        if setting.role == "password" and setting.type != "secret":
            yield f"{path}: a password is of type secret, so that it is never shown or logged"
        if setting.type == "secret" and setting.default is not None:
            yield f"{path}: a secret has no default in a profile"


def _points(profile: Profile) -> Iterator[str]:
    for ident, point in profile.by_point.items():
        if len(set(point.states)) != len(point.states) or len(point.states) < 2:
            yield f"{ident}: a point has two or more states, each once"


def _console(profile: Profile) -> Iterator[str]:
    for pattern in profile.reach.console.asks_for_secret if profile.reach.console else ():
        try:
            re.compile(pattern)
        except re.error as error:
            yield f"reach.console.asks_for_secret: {pattern!r} is no regular expression: {error}"


def _osdp(profile: Profile) -> Iterator[str]:
    reach = profile.reach.osdp
    assert reach is not None
    tables: dict[int, str] = {}
    for path, setting in profile.by_path.items():
        if setting.role in ("address", "speed"):
            if not _is_whole(setting):
                yield f"{path}: over OSDP the {setting.role} is a whole number"
            continue
        if setting.table is None:
            if profile.reach.http is None:
                yield f"{path}: it has no entry in the parameter table, and there is no other way to read it"
            continue
        if reach.table is None:
            yield f"{path}: it names an entry of a parameter table, but reach.osdp has none"
        if setting.table.id in tables:
            yield f"{path}: entry {setting.table.id} of the table is {tables[setting.table.id]} already"
        tables[setting.table.id] = path
        if not _is_whole(setting):
            yield f"{path}: an entry of a parameter table is a whole number, not {setting.type}"
    for ident, point in profile.by_point.items():
        if point.drive and point.kind not in OSDP_DRIVEN:
            yield f"{ident}: OSDP drives outputs only, this is a {point.kind}"
        if point.kind in ("relay", "input", "tamper", "power") and len(point.states) != 2:
            yield f"{ident}: OSDP tells two states of it, this has {len(point.states)}"


def _is_whole(setting: Setting) -> bool:
    if setting.type == "choice":
        return all(isinstance(option.value, int) for option in setting.options)
    top = setting.maximum if setting.maximum is not None else TABLE_MAX
    return setting.type in WHOLE and top <= TABLE_MAX


def _http(profile: Profile) -> Iterator[str]:
    reach = profile.reach.http
    assert reach is not None
    if reach.sign_in is not None and not reach.token:
        yield "reach.http: sign_in without token: nobody knows where its answer has the token"
    if "serial" not in reach.identity and "mac" not in reach.identity:
        yield "reach.http.identity: without serial or mac nobody can tell two units of this model apart"
    if reach.drive is None and any(point.drive for point in profile.points) and profile.reach.osdp is None:
        yield "points that can be driven need reach.http.drive"
    waits = any(setting.takes == "on-restart" for setting in profile.settings)
    if waits and reach.restart is None and profile.reach.osdp is None:
        yield "settings that wait for a restart need reach.http.restart"
