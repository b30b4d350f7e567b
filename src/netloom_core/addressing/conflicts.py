"""Whether a device may have an address. Pure; the wire is asked again right before a write."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from netloom_core.errors import AddressOutside, AddressTaken
from netloom_core.model.line import Line, address_key


@dataclass(frozen=True)
class Holder:
    """Somebody who has, or is planned to have, an address on a line."""

    device: str
    name: str
    line: str
    address: str
    planned: bool = False


def check_address(line: Line, address: str, device: str, holders: Iterable[Holder]) -> None:
    """Raises AddressOutside or AddressTaken, saying whose it is."""
    if not line.holds(address):
        span = "0 to 126" if line.kind == "serial" else line.network
        raise AddressOutside(
            f"{address} is not an address for a device on {line.name}.",
            f"Choose one in {span}. Nothing was changed.",
            target=device,
        )
    if address == line.source:
        raise AddressTaken(f"{address} is this computer's own address.", "Choose another one.", target=device)
    for holder in holders:
        if holder.line == line.id and holder.address == address and holder.device != device:
            how = "is planned for" if holder.planned else "belongs to"
            raise AddressTaken(
                f"{address} on {line.name} {how} {holder.name}.",
                "Choose a free address, or first give that device another one. Nothing was changed.",
                target=device,
            )


def free_addresses(line: Line, taken: Iterable[str], after: str = "") -> list[str]:
    """Addresses nobody has, in order, from the one after `after` on."""
    busy = set(taken)
    candidates = [str(n) for n in range(127)] if line.kind == "serial" else line.hosts()
    start = address_key(after) if after else -1
    return [address for address in candidates if address not in busy and address_key(address) > start]
