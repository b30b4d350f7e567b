"""A second factor: one-time passwords by time (RFC 6238), six digits, 30 s, SHA-1, as all the common apps do."""

from __future__ import annotations

import os
import time

from cryptography.hazmat.primitives.hashes import SHA1
from cryptography.hazmat.primitives.twofactor.totp import TOTP
from django.db import transaction

from netloom_core.errors import RequestError
from netloom_server.accounts.models import User
from netloom_server.base.sealing import seal, unseal

STEP_S = 30
KEY_BYTES = 20
LATE = 1  # steps by which a clock may be off, either way


def _totp(key: bytes) -> TOTP:
    return TOTP(key, 6, SHA1(), STEP_S)  # noqa: S303 - the standard's own


def begin(user: User) -> tuple[str, str]:
    """A new key, that counts once a code of it was given: (address for an app, the key in base 32)."""
    key = os.urandom(KEY_BYTES)
    user.second, user.second_proven, user.second_step = seal(key.hex()), False, 0
    user.save(update_fields=["second", "second_proven", "second_step"])
    address = _totp(key).get_provisioning_uri(user.username, "Netloom")
    return address, address.partition("secret=")[2].partition("&")[0]


@transaction.atomic
def fits(user: User, code: str) -> bool:
    """Whether it is the code of now, or of a step beside it, and was not used yet."""
    user = User.objects.get(pk=user.pk)
    if not user.second or not (code.isascii() and code.isdigit() and len(code) == 6):
        return False
    totp = _totp(bytes.fromhex(unseal(bytes(user.second))))
    now = int(time.time()) // STEP_S
    for step in range(now - LATE, now + LATE + 1):
        if step > user.second_step and totp.generate(step * STEP_S) == code.encode():
            User.objects.filter(pk=user.pk).update(second_step=step)
            return True
    return False


def prove(user: User, code: str) -> None:
    """From now on it is asked for. Raises RequestError where the code is not the app's."""
    if not fits(user, code):
        raise RequestError("That code is not the one of now.", "Look at the clocks of both, and type the next one.")
    User.objects.filter(pk=user.pk).update(second_proven=True)


def drop(user: User) -> None:
    User.objects.filter(pk=user.pk).update(second=b"", second_proven=False, second_step=0)
