"""What a sweep may use to ask who somebody is. Only for reading."""

from __future__ import annotations

import hashlib
import secrets
from collections.abc import Mapping
from dataclasses import dataclass, field

from netloom_core.model.device import Credentials
from netloom_core.model.snmp import USUAL_COMMUNITY, SnmpUser

MAX_REFUSALS = 20_000


@dataclass(frozen=True)
class Login:
    """How to get into one device. `keys` name the device: its credentials go out only to whoever bore
    one of them in this very sweep. Without keys it is a factory's login, which is no secret."""

    credentials: Credentials
    keys: frozenset[str] = frozenset()


class Refusals:
    """Which logins were refused where, so that nothing is tried until a device locks its users out.

    `counts` are by a mark of place and login, made with a `secret`: a password that a person changed is
    another login. What a person asks for may always be tried; this is for what is tried by itself.
    """

    MOST = 2

    def __init__(self, counts: Mapping[str, int] | None = None, secret: bytes = b"") -> None:
        self.counts = dict(counts or {})
        self._secret = secret or secrets.token_bytes(16)

    def _mark(self, where: str, login: Credentials) -> str:
        text = f"{where}\0{login.user}\0{login.password}".encode()
        return f"{where} {hashlib.blake2b(text, key=self._secret[:64], digest_size=16).hexdigest()}"

    def may(self, where: str, login: Credentials) -> bool:
        return self.counts.get(self._mark(where, login), 0) < self.MOST

    def refused(self, where: str, login: Credentials | None) -> None:
        if login is not None and len(self.counts) < MAX_REFUSALS:
            mark = self._mark(where, login)
            self.counts[mark] = self.counts.get(mark, 0) + 1

    def taken(self, where: str, login: Credentials | None) -> None:
        if login is not None:
            self.counts.pop(self._mark(where, login), None)


@dataclass(frozen=True)
class Access:
    """`logins` are those of the devices on record, by the address where they should be.

    `onvif` are users that a person gave for the cameras of the whole line.
    """

    communities: tuple[str, ...] = (USUAL_COMMUNITY,)
    snmp_users: tuple[SnmpUser, ...] = ()
    onvif: tuple[Credentials, ...] = field(default=(), repr=False)
    logins: dict[str, Login] = field(default_factory=dict, repr=False)
    refusals: Refusals = field(default_factory=Refusals, repr=False)
