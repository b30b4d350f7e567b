"""A firmware file as the body of a request: as it is, or in a multipart form (RFC 7578). Never whole in memory."""

from __future__ import annotations

import itertools
import secrets
from collections.abc import Iterable

from netloom_core.drivers.http.form import HttpLoad
from netloom_core.model.image import Image

PIECE = 256 * 1024


def enclosed(how: HttpLoad, image: Image) -> tuple[Iterable[bytes], int, str]:
    """Its pieces, their size in all, and the content type."""
    if how.form == "raw":
        return image.chunks(PIECE), image.size, "application/octet-stream"
    boundary = f"netloom{secrets.token_hex(12)}"
    name = "".join(c for c in image.name if c.isascii() and c.isprintable() and c not in '"\\')
    head = (
        f'--{boundary}\r\nContent-Disposition: form-data; name="{how.field}"; filename="{name}"\r\n'
        "Content-Type: application/octet-stream\r\n\r\n"
    ).encode()
    tail = f"\r\n--{boundary}--\r\n".encode()
    pieces = itertools.chain([head], image.chunks(PIECE), [tail])
    return pieces, len(head) + image.size + len(tail), f"multipart/form-data; boundary={boundary}"
