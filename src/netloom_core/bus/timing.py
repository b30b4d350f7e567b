"""How long bytes take on a serial line."""

from netloom_core.protocols.osdp.constants import BITS_PER_CHARACTER


def line_time(count: float, speed: int) -> float:
    """Seconds that `count` characters take at `speed` baud."""
    return count * BITS_PER_CHARACTER / speed
