"""A generated line with every trouble of the field at once: what a sweep sees of it, and who is really who."""

from __future__ import annotations

import random
from dataclasses import dataclass, field

from netloom_core.identity.keys import keys_of
from netloom_core.model.sighting import Sighting
from netloom_core.sweep.finding import Known

PLACEHOLDERS = ("0123456789", "12345678", "00000001", "1", "null", "To be filled by O.E.M.", "SN000000")
MAKERS = ("Hallvane", "Corrain", "Ardlan")


@dataclass
class Site:
    """`whole` are devices that must come out as one finding; `record_of` gives their record, empty for none."""

    sightings: list[tuple[Sighting, int]] = field(default_factory=list)
    records: list[Known] = field(default_factory=list)
    record_of: dict[int, str] = field(default_factory=dict)
    whole: set[int] = field(default_factory=set)
    kinds: dict[int, str] = field(default_factory=dict)

    def describe(self, who: set[int]) -> str:
        told = [f"{s.address} {s.method} {s.facts}" for s, one in self.sightings if one in who]
        return "; ".join([*(f"{n}: {self.kinds[n]}" for n in who), *told])


class _Builder:
    def __init__(self, dice: random.Random) -> None:
        self.dice, self.site, self._next = dice, Site(), 2

    def address(self) -> str:
        self._next += 1
        return f"10.0.{self._next >> 8}.{self._next & 255}"

    def mac(self, number: int, interface: int = 0) -> str:
        return f"00:50:c2:{interface:02x}:{number >> 8 & 255:02x}:{number & 255:02x}"

    def device(self, kind: str) -> int:
        number = len(self.site.kinds)
        self.site.kinds[number] = kind
        self.site.record_of[number] = ""
        return number

    def sees(self, number: int, address: str, method: str, **facts: str) -> None:
        self.site.sightings.append((Sighting("net", address, method, 1.0, facts), number))

    def keeps(self, number: int, address: str, *facts: dict[str, str]) -> None:
        """A record of it as an earlier sweep of it alone would have left it."""
        if self.dice.random() < 0.5:
            return
        keys = [key for told in facts for _, key in keys_of(told)]
        self.site.record_of[number] = f"d{number}"
        where = address if self.dice.random() < 0.8 else "10.0.9.9"
        self.site.records.append(Known(f"d{number}", keys[0] if keys else "", "", "net", where, keys=tuple(keys[1:])))

    # The troubles

    def sound(self) -> None:
        number, address = self.device("sound"), self.address()
        who = {"maker": self.dice.choice(MAKERS), "serial": f"HV-{number + 3000}"}
        mac = {"mac": self.mac(number)}
        self.sees(number, address, "neighbour", **mac)
        self.sees(number, address, "http", **who)
        self.keeps(number, address, who, mac)
        self.site.whole.add(number)

    def cloned_image(self) -> None:
        """Several with one UUID, one told MAC and one engine; their own MACs differ."""
        uuid = f"{self.dice.getrandbits(32):08x}-0b77-4d3e-9a44-0a4e4c000001"
        master = self.mac(60_000 + len(self.site.kinds))
        for _ in range(self.dice.randrange(2, 5)):
            number, address = self.device("cloned image"), self.address()
            self.sees(number, address, "neighbour", mac=self.mac(number))
            self.sees(number, address, "ssdp", uuid=uuid, engine_mac=master)
            if self.dice.random() < 0.5:
                self.sees(number, address, "page", mac=master, title="one image")
            self.keeps(number, address, {"mac": self.mac(number)})
            self.site.whole.add(number)

    def cloned_serial(self) -> None:
        serial = f"CL-{self.dice.randrange(4000, 9000)}"
        for _ in range(2):
            number, address = self.device("cloned serial number"), self.address()
            self.sees(number, address, "neighbour", mac=self.mac(number))
            self.sees(number, address, "http", maker="Hallvane", serial=serial)
            self.site.whole.add(number)

    def placeholder(self) -> None:
        serial = self.dice.choice(PLACEHOLDERS)
        for _ in range(2):
            number, address = self.device("placeholder"), self.address()
            if self.dice.random() < 0.7:
                self.sees(number, address, "neighbour", mac=self.mac(number))
            self.sees(number, address, "http", maker="Hallvane", serial=serial)
            self.site.whole.add(number)

    def virtual_router(self) -> None:
        virtual = f"00:00:5e:00:01:{self.dice.randrange(1, 255):02x}"
        for _ in range(2):
            number, address = self.device("virtual router"), self.address()
            self.sees(number, address, "neighbour", mac=virtual)
            self.sees(number, address, "http", maker="Ardlan", serial=f"VR-{number + 3000}")
            self.site.whole.add(number)

    def proxied(self) -> None:
        router = self.mac(50_000 + len(self.site.kinds))
        for at in range(self.dice.randrange(3, 6)):
            number, address = self.device("behind a proxy"), self.address()
            self.sees(number, address, "neighbour", mac=router)
            if at % 2:
                self.sees(number, address, "telnet", banner=f"gate {number}")
            self.site.whole.add(number)

    def relabelled(self) -> None:
        """One unit, two makers' names, one serial number."""
        number, address = self.device("relabelled"), self.address()
        serial = f"RL-{number + 3000}"
        self.sees(number, address, "neighbour", mac=self.mac(number))
        self.sees(number, address, "http", maker="Hallvane", serial=serial)
        self.sees(number, address, "ssdp", maker="Somebody Else", serial=serial)
        self.site.whole.add(number)

    def lease(self) -> None:
        """Two known by their MACs alone that changed their addresses."""
        first, second = self.device("lease"), self.device("lease")
        here, there = self.address(), self.address()
        for number, now, before in ((first, there, here), (second, here, there)):
            mac = self.mac(number)
            self.sees(number, now, "neighbour", mac=mac)
            self.sees(number, now, "ssh", ssh="2.0")
            self.site.record_of[number] = f"d{number}"
            self.site.records.append(Known(f"d{number}", f"mac:{mac}", "", "net", before))
            self.site.whole.add(number)

    def taken_lease(self) -> None:
        """One that is off, and another that got its address."""
        number, address = self.device("taken lease"), self.address()
        gone = f"mac:{self.mac(number, 7)}"
        self.site.records.append(Known(f"gone{number}", gone, "", "net", address))
        self.sees(number, address, "neighbour", mac=self.mac(number))
        self.site.whole.add(number)

    def two_forms(self) -> None:
        number, address = self.device("two forms"), self.address()
        mac = {"mac": self.mac(number)}
        who = {"maker": "Corrain", "serial": f"CR-{number + 3000}"}
        if self.dice.random() < 0.7:
            self.sees(number, address, "neighbour", **mac)
        self.sees(number, address, "http", **who)
        self.sees(number, address, "ssdp", maker="Corrain", serial=f"0A00000{number + 3000}")
        self.keeps(number, address, who)
        self.site.whole.add(number)

    def address_twice(self) -> None:
        address = self.address()
        for _ in range(2):
            number = self.device("address twice")
            mac = self.mac(number)
            self.sees(number, address, "neighbour", mac=mac)
            self.sees(number, address, "http", maker="Ardlan", serial=f"AT-{number + 3000}", mac=mac)
            self.site.whole.add(number)


TROUBLES = (
    _Builder.sound, _Builder.cloned_image, _Builder.cloned_serial, _Builder.placeholder, _Builder.virtual_router,
    _Builder.proxied, _Builder.relabelled, _Builder.lease, _Builder.taken_lease, _Builder.two_forms,
    _Builder.address_twice,
)  # fmt: skip


def site(dice: random.Random) -> Site:
    builder = _Builder(dice)
    for _ in range(dice.randrange(4, 16)):
        dice.choice(TROUBLES)(builder)
    dice.shuffle(builder.site.sightings)
    dice.shuffle(builder.site.records)
    return builder.site
