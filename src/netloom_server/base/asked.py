"""What was asked in an address: numbers that are checked."""

from __future__ import annotations

from rest_framework.request import Request

from netloom_core.errors import RequestError

MOST = 2**53


def number(request: Request, name: str, usual: int) -> int:
    """A whole number of the query. Raises RequestError where it is something else."""
    text = request.query_params.get(name, "")
    if not text:
        return usual
    try:
        found = int(text) if len(text) <= 17 else MOST
    except ValueError:
        raise RequestError(f"{name}: {text[:40]!r} is no whole number.", "Mend that part of the address.") from None
    return max(min(found, MOST), -MOST)
