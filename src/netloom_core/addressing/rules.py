"""What people decide for a line as a whole: which places are whose, which stay free, what all on it share.

Open JSON, one object for each line; see docs/addressing.md. Pure: who the devices are comes in as residents.
"""

from __future__ import annotations

import ipaddress
from typing import Annotated, Self

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from netloom_core.errors import RequestError
from netloom_core.model.line import UNITS, Line, address_key
from netloom_core.model.universe import LAST_SLOT, PORT_ADDRESSES

MOST_UNIVERSES = 512
MOST = 64  # ranges, or reserved spans, of one line
SPEEDS = (300, 600, 1200, 2400, 4800, 9600, 14400, 19200, 38400, 57600, 115200, 230400)

Place = Annotated[str, Field(max_length=40)]
Word = Annotated[str, Field(max_length=80)]


class _Form(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True, str_strip_whitespace=True)


class Span(_Form):
    """Places from `first` to `last`, both of them in it, as they are written on that line."""

    first: Place
    last: Place

    def holds(self, address: str) -> bool:
        return address_key(self.first) <= address_key(address) <= address_key(self.last)

    def meets(self, other: Span) -> bool:
        return self.holds(other.first) or other.holds(self.first)

    def __str__(self) -> str:
        return self.first if self.first == self.last else f"{self.first} to {self.last}"


class Range(Span):
    """Places for devices of one `kind`, in one `area` (its id), of both, or for anybody that no other range is for."""

    kind: Word = ""
    area: Annotated[str, Field(max_length=20)] = ""

    @property
    def narrow(self) -> int:
        return 2 * bool(self.area) + bool(self.kind)

    def is_for(self, kind: str, area: str) -> bool:
        return self.kind.casefold() in ("", kind.casefold()) and self.area in ("", area)


class Reserved(Span):
    """Places that no plan gives to a device; `why` is for people."""

    why: Annotated[str, Field(max_length=120)] = ""


class Kept(_Form):
    """Which places are for whom, and which for nobody."""

    ranges: Annotated[tuple[Range, ...], Field(max_length=MOST)] = ()
    reserved: Annotated[tuple[Reserved, ...], Field(max_length=MOST)] = ()

    def ranges_for(self, kind: str, area: str) -> list[Range]:
        """Those that name the most of what it is; all of them are as good. None where nothing is said of it."""
        fit = [one for one in self.ranges if one.is_for(kind, area)]
        most = max((one.narrow for one in fit), default=0)
        return [one for one in fit if one.narrow == most]

    def reserved_at(self, address: str) -> str:
        """Why a place is reserved; empty where it is not."""
        for one in self.reserved:
            if one.holds(address):
                return f"is reserved{f' ({one.why})' if one.why else ''}"
        return ""


class UniverseRules(Kept):
    """A DMX universe of a network by its port address; the places are slots. `twice` is whether several nodes are meant
    to send it."""

    number: Annotated[int, Field(ge=0, lt=PORT_ADDRESSES)]
    name: Word = ""
    twice: bool = False


class Rules(Kept):
    """`pool` are places that a DHCP server gives. `names` is a pattern for host names. `mask`, `gateway`, `speed`
    (baud) and `parity` are what all on the line are to have; empty or 0 where nobody decided that. `universes` are
    those that people named.
    """

    pool: Span | None = None
    names: Annotated[str, Field(max_length=120)] = ""
    mask: Annotated[str, Field(max_length=15)] = ""
    gateway: Annotated[str, Field(max_length=15)] = ""
    speed: Annotated[int, Field(ge=0, le=4_000_000)] = 0
    parity: Annotated[str, Field(pattern="^[NEO]?$")] = ""
    universes: Annotated[tuple[UniverseRules, ...], Field(max_length=MOST_UNIVERSES)] = ()

    @classmethod
    def read(cls, data: object) -> Self:
        """Raises RequestError, naming the place in the object and what is wrong there."""
        try:
            return cls.model_validate(data)
        except ValidationError as error:
            first = error.errors(include_url=False, include_context=False, include_input=False)[0]
            at = "/".join(str(part) for part in first["loc"]) or "the whole"
            raise RequestError(f"The rules are not right at {at}: {first['msg']}.", "Nothing was changed.") from error

    def kept_free(self, address: str) -> str:
        """Why no plan gives the place away; empty where one may."""
        if self.pool is not None and self.pool.holds(address):
            return f"is in the dynamic pool, {self.pool}"
        if self.gateway and address == self.gateway:
            return "is the line's gateway"
        return self.reserved_at(address)


def check_rules(line: Line, rules: Rules) -> None:
    """Raises RequestError where the rules cannot be for that line, or contradict each other."""
    spans: list[tuple[str, Span]] = [("The range", one) for one in rules.ranges]
    spans += [("The reserved span", one) for one in rules.reserved]
    spans += [("The dynamic pool", rules.pool)] if rules.pool else []
    for word, span in spans:
        for place in (span.first, span.last):
            if not line.holds(place):
                raise RequestError(f"{word} {span}: {place} is no address of a device on {line.name}.", _within(line))
        if address_key(span.first) > address_key(span.last):
            raise RequestError(f"{word} {span} ends before it begins.", "Give its first place first.")
    for one in rules.ranges:
        if rules.pool is not None and one.meets(rules.pool):
            raise RequestError(f"The range {one} meets the dynamic pool {rules.pool}.", "A server gives those away.")
    _check_ranges(rules)
    _check_universes(line, rules)
    if line.kind == "ip":
        _check_network(line, rules)
    elif rules.pool or rules.mask or rules.gateway:
        raise RequestError(f"{line.name} is no IP network: it has no pool, mask or gateway.", "Leave them empty.")
    if rules.speed and (line.kind != "serial" or rules.speed not in SPEEDS):
        usual = ", ".join(map(str, SPEEDS))
        raise RequestError(f"{rules.speed} baud cannot be the speed of {line.name}.", f"Usual speeds are {usual}.")
    if rules.parity and line.kind != "serial":
        raise RequestError(f"{line.name} is no serial line: it has no parity.", "Leave it empty.")


def _check_ranges(kept: Kept) -> None:
    for at, one in enumerate(kept.ranges):
        for other in kept.ranges[:at]:
            if one.meets(other) and (one.kind.casefold(), one.area) != (other.kind.casefold(), other.area):
                raise RequestError(f"The ranges {other} and {one} meet.", "Each place is for one kind or area.")


def _check_universes(line: Line, rules: Rules) -> None:
    if rules.universes and line.kind != "ip":
        raise RequestError(f"{line.name} is no IP network: no universe is sent on it.", "Leave them empty.")
    numbers = [one.number for one in rules.universes]
    twice = next((number for number in numbers if numbers.count(number) > 1), None)
    if twice is not None:
        raise RequestError(f"The universe {twice} is there twice.", "Leave one of the two.")
    for universe in rules.universes:
        for span in (*universe.ranges, *universe.reserved):
            ends = (span.first, span.last)
            if not all(place.isdecimal() and 1 <= int(place) <= LAST_SLOT for place in ends):
                raise RequestError(
                    f"Universe {universe.number}, {span}: slots are numbered from 1 to {LAST_SLOT}.", "Choose such."
                )
            if int(span.first) > int(span.last):
                raise RequestError(
                    f"Universe {universe.number}, {span} ends before it begins.", "Give its first first."
                )
        _check_ranges(universe)


def _check_network(line: Line, rules: Rules) -> None:
    network = ipaddress.IPv4Network(line.network)
    if rules.mask:
        try:
            whole = ipaddress.IPv4Network(f"0.0.0.0/{rules.mask}")
        except ValueError:
            raise RequestError(f"{rules.mask} is no network mask.", "Write it like 255.255.255.0.") from None
        if whole.prefixlen > network.prefixlen or "." not in rules.mask:
            raise RequestError(
                f"With the mask {rules.mask} not all of {network} would hear each other.",
                f"The line's own is {network.netmask}.",
            )
    if rules.gateway:
        try:
            gateway = ipaddress.IPv4Address(rules.gateway)
        except ValueError:
            raise RequestError(f"{rules.gateway} is no address.", "Write it like 192.0.2.1.") from None
        if gateway not in network:
            raise RequestError(f"The gateway {gateway} is outside of {network}.", "Nobody there would reach it.")


def _within(line: Line) -> str:
    if line.kind == "ip":
        return f"Choose places in {line.network}."
    low, high = UNITS.get(line.protocol, (0, 255))
    return f"Choose numbers from {low} to {high}."
