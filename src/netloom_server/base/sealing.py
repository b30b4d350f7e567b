"""Encryption of secrets at rest, with a key in a file beside the database, never in it."""

from __future__ import annotations

import os
from pathlib import Path

from cryptography.fernet import Fernet, InvalidToken
from django.conf import settings

from netloom_core.errors import KeyLost


def _cipher() -> Fernet:
    path = Path(settings.DATA) / "keys" / "secrets.key"
    if not path.exists():
        path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        with os.fdopen(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as out:
            out.write(Fernet.generate_key())
    try:
        return Fernet(path.read_bytes().strip())
    except ValueError as error:
        raise _lost("the key of this data folder is damaged") from error


def seal(text: str) -> bytes:
    return _cipher().encrypt(text.encode())


def unseal(data: bytes) -> str:
    try:
        return _cipher().decrypt(bytes(data)).decode()
    except InvalidToken as error:
        raise _lost("the key of this data folder is another one") from error


def _lost(why: str) -> KeyLost:
    return KeyLost(
        f"The saved credentials cannot be decrypted: {why}.",
        "Put keys/secrets.key back from where the data folder was copied, or enter the credentials again.",
    )
