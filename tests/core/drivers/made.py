"""Profiles made for one test, and drivers by them at any address of a loopback network."""

from __future__ import annotations

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from typing import Any

from netloom_core.bus.owner import Owners
from netloom_core.drivers.registry import OPENERS
from netloom_core.library.read import profile_of
from netloom_core.model.device import Target
from netloom_core.model.line import Line
from netloom_core.profiles.profile import Profile


def profile(channel: dict[str, Any], items: list[dict[str, Any]], **more: Any) -> Profile:
    """Its one channel is called `way`."""
    head = {"format": 2, "id": "a-peer", "maker": "Peer", "model": "P", "kind": "peer"}
    return profile_of({**head, "channels": {"way": channel}, "items": items, **more}, "peer.yaml", {})


def line(network: str) -> Line:
    """`network` has its first three numbers."""
    return Line("net", "Net", "ip", network=f"{network}.0/24", source=f"{network}.1")


@asynccontextmanager
async def driver(made: Profile, host: str, **more: Any) -> AsyncIterator[Any]:
    """A driver that has asked who is there, and takes it for proven."""
    target = Target("d", "Peer", made.id, line(host.rpartition(".")[0]), host, **more)
    opened = OPENERS[made.channels["way"].protocol](target, made, "way", Owners())
    try:
        await opened.identify()
        opened.trust(opened.connection)
        yield opened
    finally:
        await opened.close()
