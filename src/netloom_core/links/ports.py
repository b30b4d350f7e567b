"""The serial ports of this computer, and the adapters that they belong to.

A port's name changes when an adapter is plugged in again; its USB serial number does not,
or else the place (the USB socket) where it is plugged in. What the system does not list,
as a pseudo-terminal, can be described by a file.
"""

from __future__ import annotations

import json
import os
from dataclasses import asdict, dataclass
from pathlib import Path

from serial.tools import list_ports

from netloom_core.errors import LinkError
from netloom_core.links.rfc2217 import Rfc2217Link
from netloom_core.links.serial import ByteLink, SerialLink

MAX_DESCRIPTION = 10_000
MAX_PORTS = 256
MAX_PROCESSES = 20_000


@dataclass(frozen=True)
class PortInfo:
    """A port as the system knows it. Vendor and product are USB ids in hexadecimal."""

    path: str
    title: str = ""
    vendor: str = ""
    product: str = ""
    usb_serial: str = ""
    place: str = ""

    @property
    def adapter(self) -> str:
        """What stays the same when the port's name changes; empty for a port that is soldered in."""
        if self.usb_serial:
            return f"usb:{self.vendor}:{self.product}:{self.usb_serial}".lower()
        return f"place:{self.place}" if self.place else ""

    def as_dict(self) -> dict[str, str]:
        return {**asdict(self), "adapter": self.adapter}


def described_ports(folder: Path) -> list[PortInfo]:
    """Ports out of `*.json` files in a folder, each an object with PortInfo's names. Broken files are left out."""
    found = []
    for file in sorted(folder.glob("*.json"))[:MAX_PORTS] if folder.is_dir() else []:
        try:
            data = json.loads(file.read_bytes()[:MAX_DESCRIPTION])
            values = {name: str(data.get(name, "")) for name in PortInfo.__dataclass_fields__}
        except (OSError, ValueError, AttributeError):
            continue
        if values["path"] and os.path.exists(values["path"]):
            found.append(PortInfo(**values))
    return found


def all_ports(folder: Path | None = None) -> list[PortInfo]:
    """Every port now: the system's and the described ones."""
    ports = [
        PortInfo(
            title=one.description if one.description != "n/a" else "",
            path=one.device,
            vendor=f"{one.vid:04x}" if one.vid is not None else "",
            product=f"{one.pid:04x}" if one.pid is not None else "",
            usb_serial=one.serial_number or "",
            place=one.location or "",
        )
        for one in list_ports.comports()
    ]
    return [*ports, *(described_ports(folder) if folder else [])]


def adapter_of(path: str, ports: list[PortInfo]) -> str:
    real = os.path.realpath(path)
    return next((port.adapter for port in ports if os.path.realpath(port.path) == real), "")


def follow(path: str, adapter: str, ports: list[PortInfo]) -> str:
    """The port's present path: where its adapter is now, else where it was."""
    if not adapter or adapter_of(path, ports) == adapter:
        return path
    return next((port.path for port in ports if port.adapter == adapter), path)


def holder_of(path: str) -> str:
    """Which other program has the port open, as `name (process 123)`; empty where nobody can be seen.

    Looks through /proc; other users' programs are only seen by root.
    """
    try:
        wanted = os.stat(path)
    except OSError:
        return ""
    own = str(os.getpid())
    for process in [entry for entry in os.listdir("/proc") if entry.isdecimal()][:MAX_PROCESSES]:
        if process == own:
            continue
        try:
            for entry in os.scandir(f"/proc/{process}/fd"):
                if os.stat(entry.path).st_rdev == wanted.st_rdev != 0:
                    name = Path(f"/proc/{process}/comm").read_text().strip()
                    return f"{name} (process {process})"
        except OSError:
            continue
    return ""


async def open_port(path: str, speed: int, parity: str = "N", source: str = "") -> ByteLink:
    """A port of this computer, or of a device server by `rfc2217://HOST:PORT`. Raises LinkError."""
    if path.startswith("rfc2217://"):
        return await Rfc2217Link.open(path, speed, parity, source)
    if "://" in path:
        raise LinkError(f"{path} is no kind of port known here.", "Give a path, or rfc2217://HOST:PORT.")
    return SerialLink.open(path, speed, parity)
