"""ARP packets on one Ethernet interface, where the system lets this user send them (packet(7), CAP_NET_RAW)."""

from __future__ import annotations

import asyncio
import errno
import socket
from collections.abc import Callable

from netloom_core.errors import LinkError, ProtocolError
from netloom_core.links.interfaces import ARPHRD_ETHER
from netloom_core.protocols import arp

ETH_P_ARP = 0x0806
EVERYBODY = b"\xff" * 6
AT_ONCE = 512
MAX_IN_ALL = 100_000


def allowed() -> bool:
    """Whether this user may ask by ARP here."""
    try:
        with socket.socket(socket.AF_PACKET, socket.SOCK_DGRAM, socket.htons(ETH_P_ARP)):
            return True
    except (OSError, AttributeError):
        return False


class ArpLink:
    """Tells each packet that comes to `heard`, until it is closed. Raises LinkError where that is not allowed."""

    def __init__(self, interface: str, heard: Callable[[arp.Arp], None]) -> None:
        self._interface, self._heard, self._taken = interface, heard, 0
        try:
            self._sock = socket.socket(socket.AF_PACKET, socket.SOCK_DGRAM, socket.htons(ETH_P_ARP))
        except (OSError, AttributeError) as error:
            raise LinkError(
                "This system does not let this user send ARP questions.",
                "Give the server the right CAP_NET_RAW, or do without: the system's own questions are used.",
            ) from error
        try:
            self._sock.bind((interface, ETH_P_ARP))
            self.mac: bytes = self._sock.getsockname()[4][:6]
        except OSError as error:
            self._sock.close()
            raise LinkError(f"{interface}: {error.strerror}.", "Look at this computer's network.") from error
        self._sock.setblocking(False)
        self._loop = asyncio.get_running_loop()
        self._loop.add_reader(self._sock, self._take)

    def __enter__(self) -> ArpLink:
        return self

    def __exit__(self, *details: object) -> None:
        self._loop.remove_reader(self._sock)
        self._sock.close()

    def ask(self, source: str, target: str) -> bool:
        """Whether the question left; it does not when the interface takes no more just now, or went down."""
        packet = arp.request(self.mac, source, target)
        try:
            self._sock.sendto(packet, (self._interface, ETH_P_ARP, 0, ARPHRD_ETHER, EVERYBODY))
        except (BlockingIOError, InterruptedError):
            return False
        except OSError as error:
            if error.errno in (errno.ENOBUFS, errno.ENETDOWN, errno.ENXIO):
                return False
            raise LinkError(f"{self._interface}: {error.strerror}.", "Look at this computer's network.") from error
        return True

    def _take(self) -> None:
        for _ in range(AT_ONCE):
            try:
                data, (_, _, kind, *_) = self._sock.recvfrom(2048)
            except (BlockingIOError, InterruptedError):
                return
            except OSError:  # the interface went down
                return
            self._taken += 1
            if kind == socket.PACKET_OUTGOING or self._taken > MAX_IN_ALL:
                continue
            try:
                self._heard(arp.parse(data))
            except ProtocolError:
                continue
