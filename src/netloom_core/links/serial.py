"""A serial port as bytes. The only place where errors of serial ports are seen.

pyserial opens and sets the port; reading and writing go through the descriptor, so
that the event loop waits and no thread does. Pseudo-terminals are ports like others.
"""

from __future__ import annotations

import asyncio
import errno
import fcntl
import os
import select
import struct
from typing import Protocol

import serial

from netloom_core.errors import LinkError, PortBusy, PortMissing
from netloom_core.protocols.framing import Framing

READ_BYTES = 4096
MOST_EMPTY = 200  # reads in a row that give nothing though something was said to be there: then nobody is
BREAK_S = 0.25
TIOCGICOUNT = 0x545D
ICOUNTS = struct.Struct("20i")


class ByteLink(Protocol):
    """What the owner of a line needs of its port, wherever the port is."""

    path: str

    @property
    def speed(self) -> int: ...

    @property
    def broken(self) -> bool:
        """Whether the port has gone away since it was opened."""
        ...

    async def set_line(self, speed: int, framing: str = "8N1", flow: str = "none") -> None:
        """`framing` as `7E1`, or a parity alone, which is that with eight bits."""
        ...

    async def send_break(self, seconds: float = BREAK_S) -> None: ...

    def take(self) -> bytes:
        """What has come in so far, without waiting."""
        ...

    def write(self, data: bytes) -> None: ...

    async def read(self, timeout: float) -> bytes:
        """Whatever has come, waiting at most `timeout` seconds; empty after silence."""
        ...

    def errors(self) -> dict[str, int]:
        """Errors that the port counted: `framing`, `parity`, `overrun`, `break`; empty of one that does not count."""
        ...

    def close(self) -> None: ...


def _mapped(error: OSError, path: str) -> LinkError:
    """The one translation of OSError and SerialException, by errno."""
    number = error.errno
    if number in (errno.ENOENT, errno.ENODEV, errno.ENXIO):
        return PortMissing(
            f"The port {path} does not exist.", "Plug the adapter in, or give the line the port's present name."
        )
    if number in (errno.EBUSY, errno.EAGAIN, errno.EWOULDBLOCK):
        return PortBusy(f"Another program holds the port {path}.", "Close that program, then try again.")
    if number in (errno.EACCES, errno.EPERM):
        return LinkError(f"This user may not open {path}.", "Add the user to the group of the port, often dialout.")
    if number in (errno.EIO, errno.EBADF):
        return PortMissing(f"The port {path} has gone away.", "Plug the adapter in again; nothing else was lost.")
    if "exclusively lock" in str(error):
        return PortBusy(f"Another program holds the port {path}.", "Close that program, then try again.")
    return LinkError(f"The port {path} cannot be used: {error.strerror or error}.", "Is it a serial port at all?")


class SerialLink:
    """An open port. Make one with `SerialLink.open`; close it when done."""

    def __init__(self, path: str, opened: serial.Serial) -> None:
        self.path = path
        self._port = opened
        self._arrived = asyncio.Event()
        self._buffer = bytearray()
        self._broken: LinkError | None = None
        self._framing = Framing(parity=opened.parity)
        self._empty = 0  # reads in a row that gave nothing
        asyncio.get_running_loop().add_reader(opened.fileno(), self._readable)

    @classmethod
    def open(cls, path: str, speed: int, parity: str = "N") -> SerialLink:
        try:
            opened = serial.Serial(path, speed, parity=parity, timeout=0, write_timeout=0, exclusive=True)
        except OSError as error:  # SerialException is an OSError
            raise _mapped(error, path) from error
        except ValueError as error:
            raise LinkError(f"The port {path} cannot be set to {speed} baud.", "Choose a usual speed.") from error
        return cls(path, opened)

    @property
    def speed(self) -> int:
        return int(self._port.baudrate)

    @property
    def broken(self) -> bool:
        return self._broken is not None

    async def set_line(self, speed: int, framing: str = "8N1", flow: str = "none") -> None:
        wanted = Framing.of(framing, flow)
        if (speed, wanted) == (self._port.baudrate, self._framing):
            return
        try:
            self._port.parity, self._port.baudrate = wanted.parity, speed
            self._port.bytesize, self._port.stopbits = wanted.bits, wanted.stop
            self._port.rtscts, self._port.xonxoff = wanted.flow == "hardware", wanted.flow == "software"
            self._framing = wanted
        except OSError as error:
            raise _mapped(error, self.path) from error
        except ValueError as error:
            raise LinkError(f"The port {self.path} cannot be set to {speed} baud.", "Choose a usual speed.") from error

    async def send_break(self, seconds: float = BREAK_S) -> None:
        """Hold the line low for so long. Ports without that, as pseudo-terminals, take it without effect."""
        try:
            self._port.break_condition = True
            await asyncio.sleep(seconds)
            self._port.break_condition = False
        except OSError as error:
            raise _mapped(error, self.path) from error

    def _readable(self) -> None:
        try:
            data = os.read(self._port.fileno(), READ_BYTES)
        except BlockingIOError:
            return
        except OSError as error:
            self._fail(_mapped(error, self.path))
            return
        if not data:
            # A terminal may say that something is there and then have nothing, as when its settings change meanwhile.
            self._empty += 1
            if _hung_up(self._port.fileno()) or self._empty > MOST_EMPTY:
                self._fail(PortMissing(f"The port {self.path} has gone away.", "Plug the adapter in again."))
            return
        self._empty = 0
        self._buffer += data
        self._arrived.set()

    def _fail(self, error: LinkError) -> None:
        self._broken = error
        asyncio.get_running_loop().remove_reader(self._port.fileno())
        self._arrived.set()

    def take(self) -> bytes:
        """What has come in so far, without waiting."""
        data = bytes(self._buffer)
        self._buffer.clear()
        if self._broken is None:
            self._arrived.clear()
        return data

    def write(self, data: bytes) -> None:
        """Frames are short and the kernel takes them whole."""
        if self._broken is not None:
            raise self._broken
        try:
            sent = os.write(self._port.fileno(), data)
        except OSError as error:
            raise _mapped(error, self.path) from error
        if sent != len(data):
            raise LinkError(f"The port {self.path} took only {sent} of {len(data)} bytes.", "Is the adapter stuck?")

    async def read(self, timeout: float) -> bytes:
        """Whatever has come, waiting at most `timeout` seconds; empty after silence."""
        if not self._buffer and self._broken is None:
            try:
                async with asyncio.timeout(timeout):
                    await self._arrived.wait()
            except TimeoutError:
                return self.take()  # on a busy computer both the time and the bytes may have come
        if self._broken is not None and not self._buffer:
            raise self._broken
        return self.take()

    def errors(self) -> dict[str, int]:
        """By the kernel's counts of this port (struct serial_icounter_struct of linux/serial.h)."""
        try:
            told = fcntl.ioctl(self._port.fileno(), TIOCGICOUNT, bytes(ICOUNTS.size))
        except OSError:
            return {}  # pseudo-terminals, and adapters whose drivers do not count
        _, _, _, _, _, _, frame, overrun, parity, broke, buffer, *_ = ICOUNTS.unpack(told)
        return {"framing": frame, "parity": parity, "overrun": overrun + buffer, "break": broke}

    def close(self) -> None:
        if self._broken is None:
            asyncio.get_running_loop().remove_reader(self._port.fileno())
        self._port.close()


def _hung_up(descriptor: int) -> bool:
    """Whether the system says that the far side of the port is gone."""
    asked = select.poll()
    asked.register(descriptor, select.POLLIN)
    return any(flags & (select.POLLHUP | select.POLLERR | select.POLLNVAL) for _, flags in asked.poll(0))


def check_port(path: str, speed: int) -> None:
    """Open and close it once, so that a wrong or busy port is told at once. Sends nothing."""
    try:
        serial.Serial(path, speed, timeout=0, exclusive=True).close()
    except OSError as error:
        raise _mapped(error, path) from error
    except ValueError as error:
        raise LinkError(f"The port {path} cannot be set to {speed} baud.", "Choose a usual speed.") from error
