"""What a sweep may use to ask who somebody is. Only for reading."""

from __future__ import annotations

from dataclasses import dataclass, field

from netloom_core.model.device import Credentials

USUAL_COMMUNITY = "public"


@dataclass(frozen=True)
class SnmpUser:
    """A user of SNMPv3 (RFC 3414). `auth` is MD5, SHA or SHA-256; `priv` is AES; empty for none."""

    name: str
    auth: str = ""
    auth_key: str = field(default="", repr=False)
    priv: str = ""
    priv_key: str = field(default="", repr=False)


@dataclass(frozen=True)
class Login:
    """How to get into one device. `keys` name the device: its credentials go out only to whoever bore
    one of them in this very sweep. Without keys it is a factory's login, which is no secret."""

    credentials: Credentials
    keys: frozenset[str] = frozenset()


@dataclass(frozen=True)
class Access:
    """`logins` are those of the devices on record, by the address where they should be."""

    communities: tuple[str, ...] = (USUAL_COMMUNITY,)
    snmp_users: tuple[SnmpUser, ...] = ()
    logins: dict[str, Login] = field(default_factory=dict, repr=False)
