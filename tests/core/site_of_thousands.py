"""A generated installation of thousands, with what a sweep sees of it, and who is really who."""

from __future__ import annotations

import random
from dataclasses import dataclass

from netloom_core.model.sighting import Sighting
from netloom_core.sweep.finding import Known

LINES = ("a", "b", "c", "d")


@dataclass
class Real:
    """One real device: what it can tell, where it is, and what the records know of it."""

    number: int
    serial: str
    macs: list[str]
    uuid: str
    places: list[tuple[str, str]]
    record: Known | None = None


def mac_of(number: int, interface: int = 0) -> str:
    return f"0a:{interface:02x}:{number >> 16 & 255:02x}:{number >> 8 & 255:02x}:{number & 255:02x}:01"


def address_of(number: int) -> str:
    return f"10.{number >> 16 & 255}.{number >> 8 & 255}.{number & 255}"


def site(count: int, seed: int) -> tuple[list[Real], list[Known], list[tuple[Sighting, set[int]]]]:
    """Devices, records, and sightings with the numbers of the devices that each may belong to.

    A fifth has moved, a tenth is renamed (its model reports another name), a twentieth has
    two interfaces on two lines, and every fiftieth stands on the address of another.
    """
    dice = random.Random(seed)
    devices: list[Real] = []
    for n in range(count):
        line = dice.choice(LINES)
        device = Real(
            n, f"SN-{n + 200_000}", [mac_of(n)], f"{n:08x}-0000-4000-8000-00000a4e4c00", [(line, address_of(n))]
        )
        if n % 20 == 7:
            other = dice.choice([one for one in LINES if one != line])
            device.macs.append(mac_of(n, 1))
            device.places.append((other, address_of(n)))
        if n % 50 == 49:
            device.places = [devices[n - 1].places[0]]
        devices.append(device)
    records = []
    for device in devices:
        home = device.places[0]
        if device.number % 5 == 3:
            home = (home[0], address_of(device.number + count))
        if dice.random() < 0.8:
            keys = [f"mac:{mac}" for mac in device.macs[: dice.randrange(len(device.macs) + 1)]]
            key = f"hallvane|{device.serial.lower()}" if dice.random() < 0.9 or not keys else ""
            device.record = Known(f"d{device.number}", key, "", home[0], home[1], keys=tuple(keys))
            records.append(device.record)
    sightings = [seen for device in devices for seen in _seen(device, dice)]
    dice.shuffle(sightings)
    return devices, records, sightings


def _seen(device: Real, dice: random.Random) -> list[tuple[Sighting, set[int]]]:
    """What methods tell of it at each place. Its serial number is told at the first, MACs at each."""
    found = []
    model = "RX-8" if device.number % 10 == 2 else "RX8"
    for index, (line, address) in enumerate(device.places):
        mac = device.macs[min(index, len(device.macs) - 1)]
        found.append(("neighbour", line, address, {"mac": mac}))
        if index == 0:
            facts = {"maker": "Hallvane", "model": model, "serial": device.serial, "macs": " ".join(device.macs)}
            found.append(("http", line, address, facts))
        if dice.random() < 0.5:
            found.append(("ssdp", line, address, {"uuid": device.uuid, "mac": mac}))
        if dice.random() < 0.3:
            found.append(("telnet", line, address, {"banner": "login:"}))
    return [(Sighting(li, ad, method, 1.0, facts), {device.number}) for method, li, ad, facts in found]
