"""Access tokens for scripts: a role, an end, and when each was used last."""

from __future__ import annotations

import hashlib
import secrets
from datetime import timedelta

from django.utils import timezone

from netloom_core.errors import RequestError
from netloom_server.accounts.models import AccessToken, User
from netloom_server.accounts.permissions import RANK

PREFIX = "netloom-"
MOST_DAYS = 366
NOTED_EVERY = timedelta(minutes=1)


def digest_of(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()


def make(user: User, name: str, role: str, days: int) -> tuple[AccessToken, str]:
    """The record, and the token, which is told this once."""
    if RANK[role] > RANK[user.role]:
        raise RequestError(f"{user.username} is a {user.role}; a token cannot be more.", "Choose a smaller role.")
    token = PREFIX + secrets.token_urlsafe(32)
    expires = timezone.now() + timedelta(days=days)
    return AccessToken.objects.create(user=user, name=name, role=role, digest=digest_of(token), expires=expires), token


def user_of(token: str) -> tuple[User, AccessToken] | None:
    """Who acts by this token, in the smaller of both roles, and the token; None where it is no good."""
    found = AccessToken.objects.select_related("user").filter(digest=digest_of(token)).first()
    now = timezone.now()
    if found is None or found.expires <= now or not found.user.is_active:
        return None
    if found.used is None or now - found.used > NOTED_EVERY:
        AccessToken.objects.filter(pk=found.pk).update(used=now)
    user = found.user
    user.role = min(user.role, found.role, key=lambda role: RANK[role])
    return user, found
