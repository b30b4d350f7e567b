"""How a device lets one in over HTTP: a token, a cookie, Basic or Digest access. What is known of it, and what to
say.
"""

from __future__ import annotations

import secrets
from collections.abc import Sequence

from netloom_core.documents.tree import get
from netloom_core.drivers.http.bodies import decoded
from netloom_core.drivers.http.form import HttpChannel
from netloom_core.errors import ProtocolError
from netloom_core.model.device import Credentials
from netloom_core.protocols import http_auth

MAX_TOKEN = 4096
Fields = list[tuple[str, str]]


class Access:
    """One sign-in. `open` is whether there is something to show; `fields` is what goes with a call."""

    def __init__(self, channel: HttpChannel) -> None:
        self._how = channel.sign_in
        self._told = channel.told
        self._token = ""
        self._cookies: dict[str, str] = {}
        self._login: Credentials | None = None
        self._challenge: http_auth.Challenge | None = None
        self._count = 0

    @property
    def kind(self) -> str:
        return self._how.kind if self._how else ""

    @property
    def open(self) -> bool:
        return self._how is None or bool(self._token or self._cookies or self._login)

    def forget(self) -> None:
        self._token, self._cookies, self._login, self._challenge = "", {}, None, None

    def with_login(self, login: Credentials) -> None:
        """For Basic and Digest access, which have no sign-in of their own."""
        self._login = login

    def taken(self, content: bytes, headers: Fields, address: str) -> bool:
        """What the answer to a sign-in call gave; False where it let nobody in. Raises ProtocolError."""
        assert self._how is not None
        if self._how.kind == "cookie":
            self._cookies = {n: v for n, v in http_auth.cookies(headers).items() if _sayable(v)}
            return bool(self._cookies)
        token = get(decoded(content, self._told, address) if content else {}, self._how.token)
        if isinstance(token, str) and 0 < len(token) <= MAX_TOKEN and token.isprintable() and token.isascii():
            self._token = token
            return True
        raise ProtocolError(f"{address} signed us in without a token that can be used.", outcome="not_sent")

    def challenged(self, headers: Fields) -> bool:
        """Take up a Digest challenge; False where it was this very answer that was refused."""
        offered: Sequence[http_auth.Challenge] = http_auth.challenges(headers)
        if self.kind != "digest" or not offered or self._login is None:
            return False
        fresh = self._challenge is None or offered[0].stale or offered[0].nonce != self._challenge.nonce
        asked_before = self._challenge is not None and not offered[0].stale
        self._challenge, self._count = offered[0], 0
        return fresh and not asked_before

    def fields(self, method: str, uri: str) -> Fields:
        if self._token:
            return [("authorization", f"Bearer {self._token}")]
        if self._cookies:
            return [("cookie", "; ".join(f"{name}={value}" for name, value in self._cookies.items()))]
        if self._login is None:
            return []
        if self.kind == "basic":
            return [("authorization", http_auth.basic(self._login.user, self._login.password))]
        if self._challenge is None:
            return []
        self._count += 1
        return [
            (
                "authorization",
                http_auth.digest(
                    self._challenge, self._login.user, self._login.password, method, uri,
                    cnonce=secrets.token_hex(8), count=self._count,
                ),
            )
        ]  # fmt: skip


def _sayable(text: str) -> bool:
    return text.isprintable() and text.isascii() and len(text) <= MAX_TOKEN
