"""Addresses to which a device may go at its next power cut, since they were written to it.

An address is bound before it is written, and stays so until a reading of what is kept, asked for
later, shows something else, or until the device is found at one of them. Meanwhile nobody else may
be sent there: the two would meet after a power cut. All of it is pure: `bound` is address by time.
"""

from __future__ import annotations

from collections.abc import Mapping

from netloom_core.errors import AddressTaken

Bound = Mapping[str, float]


def after_reading(bound: Bound, place: str, kept: str, time: float) -> dict[str, float]:
    """`kept` is the address in what the device keeps, asked for at `time`; `place` is where it is."""
    later = {address: at for address, at in bound.items() if at > time}
    return later if kept == place else {**later, kept: time}


def after_finding(bound: Bound, address: str) -> dict[str, float]:
    """It was found there: where that is one that it was bound for, it has gone, and waits for no other."""
    return {} if address in bound else dict(bound)


def taken(address: str, name: str, device: str, mover: str) -> AddressTaken:
    return AddressTaken(
        f"{address} was written to {name}, which may go there at its next power cut. {mover} was not changed.",
        f"Read {name}. If that address still waits in it, give it another one first.",
        target=device,
    )
