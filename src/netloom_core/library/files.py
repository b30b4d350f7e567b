"""For which model a firmware file is: by what its header bears, and where a profile tells of none, by its name."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass
from fnmatch import fnmatchcase, translate

from netloom_core.profiles.profile import Profile

HEAD_BYTES = 4096
MOST_REVISIONS = 40


@dataclass(frozen=True)
class Recognised:
    """`profile` is empty where it fits no model; `why` says then what it is, as far as that can be told."""

    profile: str = ""
    code: str = ""
    version: str = ""
    hardware: tuple[str, ...] = ()
    why: str = ""


def recognised(name: str, head: bytes, profiles: Iterable[Profile]) -> Recognised:
    """`head` are the first 4096 bytes. A header counts more than a name: one that names another product is for that."""
    text, low = head[:HEAD_BYTES].decode("latin-1"), name.lower()
    named: Recognised | None = None
    strange = ""
    for profile in profiles:
        known = profile.firmware
        if known is None:
            continue
        if known.header and (found := re.search(known.header, text)):
            code, version = (found["code"] or "")[:60], (found["version"] or "")[:60]
            if code not in known.codes:
                strange = strange or code
                continue
            groups = found.groupdict()
            revisions = tuple(part for part in (groups.get("hardware") or "").split(",") if part)[:MOST_REVISIONS]
            return Recognised(profile.id, code, version, revisions)
        if told := next(filter(None, (channel.file_told(head) for channel in profile.channels.values())), None):
            code = next((one for one in told.codes if one in known.codes), "")
            if code:
                return Recognised(profile.id, code, told.version)
            strange = strange or told.codes[0]
            continue
        if known.header or named is not None:
            continue
        if pattern := next((one.lower() for one in known.files if fnmatchcase(low, one.lower())), ""):
            named = Recognised(profile.id, "", _version(pattern, low) if known.key(_version(pattern, low)) else "")
    if named is not None and not strange:
        return named
    why = f"its product code {strange} is of no model that is known here" if strange else "it fits no model known here"
    return Recognised(code=strange, why=why)


def _version(pattern: str, name: str) -> str:
    """What the first `*` stands for."""
    found = re.fullmatch(translate(pattern).replace(".*", "(.*)", 1), name)
    return found[1][:60] if found and found.groups() else ""
