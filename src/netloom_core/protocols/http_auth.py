"""HTTP authentication: Basic (RFC 7617) and Digest (RFC 7616, with RFC 2617's form for older devices). Pure."""

from __future__ import annotations

import base64
import hashlib
import re
from dataclasses import dataclass

from netloom_core.errors import ProtocolError

_PARAMETER = re.compile(r'([A-Za-z0-9_-]+)\s*=\s*(?:"((?:[^"\\]|\\.)*)"|([^\s,"]+))')
_SCHEME = re.compile(r"(?:^|,)\s*(digest)\s+", re.IGNORECASE)
MAX_CHALLENGE = 4096
ALGORITHMS = {"MD5": hashlib.md5, "SHA-256": hashlib.sha256}


def basic(user: str, password: str) -> str:
    return "Basic " + base64.b64encode(f"{user}:{password}".encode()).decode()


@dataclass(frozen=True)
class Challenge:
    """What a device asks for. `algorithm` is MD5 or SHA-256, with `-sess` perhaps; `qop` whether it wants `auth`."""

    realm: str
    nonce: str
    algorithm: str = "MD5"
    opaque: str = ""
    qop: bool = False
    stale: bool = False


def challenges(headers: list[tuple[str, str]]) -> list[Challenge]:
    """The Digest challenges of an answer that can be met, the strongest first."""
    found = []
    for name, value in headers:
        if name != "www-authenticate" or len(value) > MAX_CHALLENGE:
            continue
        starts = [match.end() for match in _SCHEME.finditer(value)]
        for at, start in enumerate(starts):
            end = starts[at + 1] if at + 1 < len(starts) else len(value)
            if (challenge := _challenge(value[start:end])) is not None:
                found.append(challenge)
    return sorted(found, key=lambda one: not one.algorithm.upper().startswith("SHA-256"))


def _challenge(text: str) -> Challenge | None:
    values = {
        m[1].lower(): re.sub(r"\\(.)", r"\1", m[2]) if m[2] is not None else m[3] for m in _PARAMETER.finditer(text)
    }
    algorithm = values.get("algorithm", "MD5")
    kinds = [one.strip().lower() for one in values.get("qop", "").split(",") if one.strip()]
    if algorithm.upper().removesuffix("-SESS") not in ALGORITHMS or not values.get("nonce"):
        return None
    if kinds and "auth" not in kinds:
        return None  # auth-int alone covers the body, which no device of ours has been seen to want
    return Challenge(
        values.get("realm", ""), values["nonce"], algorithm, values.get("opaque", ""), bool(kinds),
        values.get("stale", "").lower() == "true",
    )  # fmt: skip


def digest(
    challenge: Challenge, user: str, password: str, method: str, uri: str, *, cnonce: str = "", count: int = 1
) -> str:
    """The Authorization field that answers a challenge (RFC 7616 clause 3.4). Raises ProtocolError for what cannot
    be said.
    """
    name = challenge.algorithm.upper()

    def hashed(text: str) -> str:
        return ALGORITHMS[name.removesuffix("-SESS")](text.encode()).hexdigest()

    first = hashed(f"{user}:{challenge.realm}:{password}")
    if name.endswith("-SESS"):
        first = hashed(f"{first}:{challenge.nonce}:{cnonce}")
    second = hashed(f"{method}:{uri}")
    number = f"{count:08x}"
    middle = f"{challenge.nonce}:{number}:{cnonce}:auth" if challenge.qop else challenge.nonce
    fields = [
        ("username", _quoted(user)), ("realm", _quoted(challenge.realm)), ("nonce", _quoted(challenge.nonce)),
        ("uri", _quoted(uri)), ("response", f'"{hashed(f"{first}:{middle}:{second}")}"'),
        ("algorithm", challenge.algorithm),
    ]  # fmt: skip
    if challenge.opaque:
        fields.append(("opaque", _quoted(challenge.opaque)))
    if challenge.qop:
        fields += [("qop", "auth"), ("nc", number), ("cnonce", _quoted(cnonce))]
    return "Digest " + ", ".join(f"{key}={value}" for key, value in fields)


def _quoted(text: str) -> str:
    if not text.isprintable():
        raise ProtocolError("A sign-in has characters that cannot be said in HTTP.", outcome="not_sent")
    return '"' + text.replace("\\", "\\\\").replace('"', '\\"') + '"'


def cookies(headers: list[tuple[str, str]]) -> dict[str, str]:
    """Names and values of the cookies that an answer sets (RFC 6265 clause 5.2), at most sixteen."""
    found: dict[str, str] = {}
    for name, value in headers:
        key, equals, word = value.partition(";")[0].partition("=")
        if name == "set-cookie" and equals and key.strip() and len(value) <= MAX_CHALLENGE and len(found) < 16:
            found[key.strip()] = word.strip()
    return found
