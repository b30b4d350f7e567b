"""DMX universes as Netloom numbers them: by the port address of Art-Net, 15 bits."""

from __future__ import annotations

LAST_SLOT = 512  # of a universe (ANSI E1.11)
PORT_ADDRESSES = 1 << 15  # Art-Net 4, Port-Address: net, sub-net and universe of 7, 4 and 4 bits


def port_address(net: int, subnet: int, universe: int) -> int:
    return (net & 0x7F) << 8 | (subnet & 0x0F) << 4 | universe & 0x0F


def parts_of(number: int) -> tuple[int, int, int]:
    """Net, sub-net and universe."""
    return number >> 8, number >> 4 & 0x0F, number & 0x0F


def shown(number: int) -> str:
    """As people read it: the number, and its three parts where it has more than one."""
    return str(number) if number < 16 else f"{number} ({'.'.join(map(str, parts_of(number)))})"
