"""How long bytes take on a serial line."""

from netloom_core.protocols.osdp.constants import BITS_PER_CHARACTER

PIECES_S = 0.02  # between two pieces of one reply, as adapters hand them over
REST_S = 0.25  # for what has begun to come: an operating system hands bytes over in pieces, a busy one with long pauses


def line_time(count: float, speed: int) -> float:
    """Seconds that `count` characters take at `speed` baud."""
    return count * BITS_PER_CHARACTER / speed
