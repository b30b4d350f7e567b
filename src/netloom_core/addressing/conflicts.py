"""Whether a device may have an address. Pure; the wire is asked again right before a write."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass, replace

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
    leaving: bool = False  # it is there, and is planned to go elsewhere: its place may be planned for another one


class Holders:
    """Everybody on some lines, found by address; follows plans as they are made."""

    def __init__(self, holders: Iterable[Holder]) -> None:
        self._at: dict[tuple[str, str], list[Holder]] = defaultdict(list)
        for holder in holders:
            self._at[holder.line, holder.address].append(holder)

    def at(self, line: str, address: str) -> list[Holder]:
        return self._at.get((line, address), [])

    def leaves(self, device: str, line: str, address: str) -> None:
        """The device is to leave the place that it has."""
        here = self._at[line, address]
        here[:] = [replace(one, leaving=True) if one.device == device and not one.planned else one for one in here]

    def undecided(self, device: str, line: str, planned: str) -> None:
        """What was planned for the device counts no more; what is, is told by `plan`."""
        here = self._at[line, planned]
        here[:] = [one for one in here if not (one.device == device and one.planned)]

    def plan(self, device: str, name: str, line: str, before: str, after: str) -> None:
        """The device was planned at one address, and is planned at another one now."""
        if before:
            self.undecided(device, line, before)
        self._at[line, after].append(Holder(device, name, line, after, planned=True))


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
        there = holder.line == line.id and holder.address == address and holder.device != device
        if there and not holder.leaving:
            how = "is planned for" if holder.planned else "belongs to"
            raise AddressTaken(
                f"{address} on {line.name} {how} {holder.name}.",
                "Choose a free address, or give that device another one as well. Nothing was changed.",
                target=device,
            )


def free_addresses(line: Line, taken: Iterable[str], after: str = "") -> list[str]:
    """Addresses nobody has, in order, from the one after `after` on."""
    busy = set(taken)
    start = address_key(after) if after else -1
    return [address for address in line.places() if address not in busy and address_key(address) > start]
