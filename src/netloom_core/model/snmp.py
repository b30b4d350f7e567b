"""How SNMP agents are asked."""

from __future__ import annotations

from dataclasses import dataclass, field

USUAL_COMMUNITY = "public"


@dataclass(frozen=True)
class SnmpUser:
    """A user of SNMPv3 (RFC 3414). `auth` is MD5, SHA or SHA-224 to SHA-512; `priv` is AES, AES-256 or AES-256-R;
    empty for none.
    """

    name: str
    auth: str = ""
    auth_key: str = field(default="", repr=False)
    priv: str = ""
    priv_key: str = field(default="", repr=False)


@dataclass(frozen=True)
class SnmpAccess:
    """How the agents of a line are asked: communities of v2c, users of v3, in the order in which they are tried."""

    communities: tuple[str, ...] = field(default=(USUAL_COMMUNITY,), repr=False)
    users: tuple[SnmpUser, ...] = ()
