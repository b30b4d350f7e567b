"""Profiles of what a standard alone gives, for devices of which no file in the library knows the model.

The files are in `profiles/standard/`. What a device tells, as how many outputs it has, makes the one profile for it
out of its standard's; the id says from what, so that a record that names one finds it again. A model's own profile,
once there is one, comes before.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping

from netloom_core.errors import ProfileError
from netloom_core.profiles.profile import Profile

PREFIX = "standard-"
MAX_KEPT = 1000  # profiles made and kept; facts of a hostile network are many

# What a device is by the standard that it answers, for one of which nobody knows the model; the surest first.
KINDS = (
    ("onvif", "network camera"), ("pjlink", "display or projector"), ("artnet", "lighting network node"),
    ("rdm", "lighting unit"),
    ("modbus-tcp", "Modbus unit"), ("modbus", "Modbus unit"), ("osdp", "OSDP unit"),
    ("rfc2217", "serial device server"), ("snmp", "managed network device"), ("dpws", "device with web services"),
    ("ssdp", "UPnP device"), ("mdns", "device with network services"),
)  # fmt: skip
_RANK = {method: rank for rank, (method, _) in enumerate(KINDS)}
_AT = re.compile(r"-at-(\d{1,5})$")
_COUNT = re.compile(r"^-(\d{1,4})-([a-z0-9_]+)s")


def kind_by(methods: Iterable[str]) -> str:
    """A word for it on its face; empty where no standard says what it is."""
    saw = set(methods)
    return next((kind for method, kind in KINDS if method in saw), "")


def is_standard(ident: str) -> bool:
    return ident.startswith(PREFIX)


def model_of(ident: str) -> str:
    """The id where it names a model; empty for nobody's and for a standard's."""
    return "" if is_standard(ident) else ident


def speaks_against(found: str, record: str) -> bool:
    """Whether these two profiles can not be one device's: two models, or one standard with two other counts."""
    if is_standard(found) and is_standard(record):
        ours, theirs = (re.split(r"-(?=\d)", ident, maxsplit=1) for ident in (found, record))
        return ours[0] == theirs[0] and len(ours) == len(theirs) == 2 and ours[1] != theirs[1]
    return bool(model_of(found) and model_of(record)) and found != record


def only_elsewhere(found: str, record: str) -> bool:
    """Whether these two profiles of a standard differ by the TCP port alone."""
    return is_standard(found) and is_standard(record) and _AT.sub("", found) == _AT.sub("", record)


class Standards:
    """The standards' own profiles, and those made out of them."""

    def __init__(self, profiles: Iterable[Profile] = ()) -> None:
        self._by_id = {profile.id: profile for profile in profiles}
        self._ranked = sorted(self._by_id.values(), key=standard_rank)
        self._made: dict[str, Profile] = {}

    def __iter__(self) -> Iterator[Profile]:
        return iter(self._ranked)

    def of(self, facts: Mapping[str, str], methods: Iterable[str]) -> Profile | None:
        """What the facts of a device, and the methods that saw it, allow; None where no standard says enough."""
        saw = set(methods)
        for base in self._ranked:
            by = base.standard
            assert by is not None  # only those are taken in
            if saw.isdisjoint(by.methods) or not all(facts.get(name) for name in by.facts):
                continue
            counts = {axis: facts.get(fact, "0") for axis, fact in by.counts.items()}
            port = facts.get(by.port, "")
            if all(_is_number(one) for one in counts.values()) and (not port or _is_port(port)):
                most = {axis: min(int(told), base.axes[axis].count) for axis, told in counts.items()}
                return self._one(base, most, int(port or 0))
        return None

    def by_id(self, ident: str) -> Profile | None:
        """The one of that id, made again where it has to be; None for what no device can make of a standard."""
        if not is_standard(ident) or len(ident) > 60:
            return None
        if ident in self._made:
            return self._made[ident]
        base = max((one for one in self._ranked if _begins(ident, one.id)), key=lambda one: len(one.id), default=None)
        if base is None or base.standard is None:
            return None
        rest, port = ident.removeprefix(base.id), 0
        if base.standard.port and (at := _AT.search(rest)):
            if not _is_port(at[1]):
                return None
            rest, port = rest[: at.start()], int(at[1])
        counts = dict.fromkeys(base.standard.counts, 0)
        while found := _COUNT.match(rest):
            count, axis = int(found[1]), found[2]
            if axis not in counts or count > base.axes[axis].count:
                return None
            counts[axis], rest = count, rest[found.end() :]
        made = None if rest else self._one(base, counts, port)
        return made if made is not None and made.id == ident else None

    def _one(self, base: Profile, counts: Mapping[str, int], port: int) -> Profile:
        told = any(counts.values()) or bool(
            base.standard and set(base.standard.counts.values()) & {*base.standard.facts}
        )
        ident = base.id + "".join(f"-{count}-{axis}s" for axis, count in counts.items() if told)
        ident += f"-at-{port}" if port else ""
        if ident in self._made:
            return self._made[ident]
        none = {axis for axis, count in counts.items() if not count}
        axes = {
            name: axis.model_copy(update={"count": counts.get(name, axis.count)})
            for name, axis in base.axes.items()
            if name not in none
        }
        channels = dict(base.channels)
        if port:
            first = next(iter(channels))
            channels[first] = channels[first].model_copy(update={"port": port})
        items = [item for item in base.items if none.isdisjoint(item.axes)]
        made = base.model_copy(update={"id": ident, "axes": axes, "channels": channels, "items": items})
        if len(self._made) >= MAX_KEPT:
            self._made.clear()  # they are made again when they are asked for
        self._made[ident] = made
        return made


def standard_rank(profile: Profile) -> int:
    """Where its standard stands among all, the surest first. Raises ProfileError for a model's profile."""
    if profile.standard is None:
        raise ProfileError(f"{profile.id} is no profile of a standard.", "Put it into its maker's folder.")
    return min(_RANK.get(method, len(KINDS)) for method in profile.standard.methods)


def _begins(ident: str, base: str) -> bool:
    return ident == base or ident.startswith(f"{base}-")


def _is_number(text: str) -> bool:
    return text.isascii() and text.isdigit() and len(text) <= 4


def _is_port(text: str) -> bool:
    return text.isascii() and text.isdigit() and len(text) <= 5 and 0 < int(text) < 65536
