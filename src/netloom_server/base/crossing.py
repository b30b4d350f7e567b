"""Crossing from the engine's loop into the records: in a thread, with the database's troubles translated."""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, datetime
from typing import ParamSpec, TypeVar

from asgiref.sync import sync_to_async
from django.db.utils import DatabaseError, InterfaceError

from netloom_core.errors import StoreTrouble

P = ParamSpec("P")
Result = TypeVar("Result")
HINT = "Look at the disk's free space and at other programs that use the data folder. What was promised is kept."


async def in_records(work: Callable[P, Result], *args: P.args, **kwargs: P.kwargs) -> Result:
    """Raises StoreTrouble where the records cannot be had or written now: a lock, a full disk, a damaged file."""
    try:
        return await sync_to_async(work)(*args, **kwargs)
    except (DatabaseError, InterfaceError) as error:
        raise StoreTrouble(f"The records cannot be used now: {error}.", HINT) from error


def moment(time: float) -> datetime:
    return datetime.fromtimestamp(time, UTC)
