"""An Art-Net node as a description tells it: polled, addressed, its network programmed. By the offsets of Art-Net 4."""

from __future__ import annotations

import asyncio
import ipaddress
import random
import socket
from typing import Any

from pydantic import BaseModel, ConfigDict

from netloom_core.protocols import rdm
from netloom_core.protocols.rdm_search import Search
from netloom_standins.described.fixture import Fixture
from netloom_standins.described.loading import Header
from netloom_standins.described.memory import Wrong
from netloom_standins.described.unit import DescribedUnit
from netloom_standins.pty_port import mixed
from netloom_standins.services.discovery import BROADCAST, Searchable

HEAD = b"Art-Net\0"
PORT = 6454
PART = 200  # units in one packet of a table
FAILURES = {0x08: "hold", 0x09: "black", 0x0A: "full", 0x0B: "scene"}
RATE_HZ = 44
UID_OF_NODE = bytes.fromhex("7ff000000001")


class NodeForm(BaseModel):
    model_config = ConfigDict(extra="forbid")

    face: str
    ports: int = 4
    oem: str = "0000"
    esta: str = "7FF0"
    rdm: bool = False  # whether it speaks it on its ports
    site: dict[str, Any] = {}


class Node(Searchable):
    listen_port = PORT

    def __init__(self, unit: Any, options: dict[str, Any]) -> None:
        super().__init__(unit, options)
        self.form = NodeForm.model_validate(options)
        self._tables: dict[int, list[bytes]] = {}  # of who is on a port, by its number
        self._seen: dict[int, int] = {}  # how often one had come to it then
        self._coming, self._words = bytearray(), 0  # of a firmware file
        for number, universe in enumerate(self.form.site.get("universes", ()), 1):
            if f"/ports/{number}/universe" in self.described.memory.cells:
                self.described.memory.begin(f"/ports/{number}/universe", int(universe) & 0x0F)

    @property
    def described(self) -> DescribedUnit:
        return self.unit  # type: ignore[return-value]

    async def start(self) -> None:
        """It hears what is broadcast, and what is sent to its own address."""
        await super().start()
        node = self

        class Own(asyncio.DatagramProtocol):
            def datagram_received(self, data: bytes, addr: tuple[str, int]) -> None:
                node._heard(data, *addr)

        sock = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        sock.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        sock.bind((self.unit.address, PORT))
        self._own, _ = await asyncio.get_running_loop().create_datagram_endpoint(Own, sock=sock)

    async def stop(self) -> None:
        self._own.close()
        await super().stop()

    def asked(self, data: bytes, address: str, port: int) -> None:
        if data[:8] != HEAD or len(data) < 12:
            return
        code = int.from_bytes(data[8:10], "little")
        if code == 0x2000:
            self._reply(address)
        elif code == 0x6000 and len(data) >= 107:
            if not self.described.pulled():
                self._program(data)
            self._reply(address, soon=True)
        elif code == 0xF800 and len(data) >= 34:
            self._network(data, address)
        elif code == 0xF200 and len(data) >= 1064:
            self._firmware(data, address)
        elif code == 0x8000 and len(data) >= 24:
            wanted = {data[21] << 8 | low for low in data[24 : 24 + min(data[23], 32)]}
            for number in self._ports():
                if self._port_address(number) in wanted:
                    self._table(number, address)
        elif code == 0x8200 and len(data) >= 24:
            for number in self._ports():
                if self._port_address(number) == data[21] << 8 | data[23]:
                    self._search(number)
                    self._table(number, address)
        elif code == 0x8300 and len(data) >= 24:
            self._relay(data, address)

    # Firmware: blocks of 1024 bytes, one after the other

    def _firmware(self, data: bytes, address: str) -> None:
        loading, kind, number = self.described.loading, data[14], data[15]
        if loading is None or not self.described.up or self.described.faults.silent:
            return
        if kind == 0:  # whatever came before it: a file that nobody went on with holds up no other
            if self._words:
                loading.gave_up(1.0)
            self._coming, self._words = bytearray(), int.from_bytes(data[16:20], "big")
            if loading.began():
                self._firmware_says(0xFF, address)
                return
        elif kind not in (1, 2) or not self._words or number != len(self._coming) // 1024 % 256:
            self._firmware_says(0xFF, address)
            return
        size = self._words * 2
        self._coming += data[40 : 40 + min(1024, size - len(self._coming))]
        if not loading.came(len(self._coming) / size):
            return
        if kind != 2:
            self._firmware_says(0x00, address)
            return
        whole, self._words = bytes(self._coming), 0
        why = loading.whole(whole, self._header(whole))
        self._firmware_says(0xFF if why else 0x01, address)

    def _header(self, whole: bytes) -> Header:
        """By the offsets of a file of Art-Net: for which products, which version, whether it came as it was."""
        codes = [whole[at : at + 2].hex().upper() for at in range(34, 546, 2)]
        data = whole[1060:]
        total = sum(int.from_bytes(data[at : at + 2].ljust(2, b"\0"), "big") for at in range(0, len(data), 2))
        while total >> 16:
            total = (total & 0xFFFF) + (total >> 16)
        good = (~total & 0xFFFF) == int.from_bytes(whole[:2], "big")
        return Header([one for one in codes if one != "0000"], [], f"{whole[2]}.{whole[3]}", good)

    def _firmware_says(self, kind: int, address: str) -> None:
        self.later(0.005, self._packet_of(0xF300) + bytes((0, 0, kind)) + bytes(21), address, PORT)

    # RDM: what hangs on its ports

    def _ports(self) -> range:
        return range(1, self.form.ports + 1) if self.form.rdm else range(0)

    def _port_address(self, number: int) -> int:
        low = int(self._value("/subnet")) << 4 | int(self._value(f"/ports/{number}/universe"))
        return int(self._value("/net")) << 8 | low

    def _on(self, number: int) -> list[Fixture]:
        return [one for one in Fixture.lines.get(self.unit.address, ()) if one.port == number]

    def _say(self, number: int, frame: bytes) -> bytes:
        """Onto the line of that port, and what comes back, of several at once."""
        answers = [answer for one in self._on(number) if (answer := one.heard(frame))]
        return mixed(answers) if answers else b""

    def _search(self, number: int) -> None:
        search = Search(UID_OF_NODE).run()
        try:
            message = next(search)
            while True:
                message = search.send(self._say(number, rdm.pack(message)))
        except StopIteration as end:
            self._tables[number] = end.value
            self._seen[number] = Fixture.came[self.unit.address, number]

    def _table(self, number: int, address: str) -> None:
        # It looks for new ones by itself, and notices late who has gone.
        if self._seen.get(number) != Fixture.came[self.unit.address, number]:
            self._search(number)
        units, place = self._tables[number], self._port_address(number)
        for block in range(max(-(-len(units) // PART), 1)):
            part = units[block * PART : (block + 1) * PART]
            body = (
                bytes((1, (number - 1) % 4 + 1))
                + bytes(6)
                + bytes(((number - 1) // 4 + 1, place >> 8, 0, place & 0xFF))
            )
            body += len(units).to_bytes(2, "big") + bytes((block, len(part))) + b"".join(part)
            self.later(0.01 * (block + 1), self._packet_of(0x8100) + body, address, PORT)

    def _relay(self, data: bytes, address: str) -> None:
        place = data[21] << 8 | data[23]
        for number in self._ports():
            if self._port_address(number) == place and (answer := self._say(number, b"\xcc" + data[24:])):
                head = bytes((1, 0)) + bytes(7) + bytes((data[21], 0, data[23]))
                self.later(0.005, self._packet_of(0x8300) + head + answer[1:], address, PORT)

    @staticmethod
    def _packet_of(code: int) -> bytes:
        return HEAD + code.to_bytes(2, "little") + bytes((0, 14))

    def _value(self, path: str) -> Any:
        return self.described.memory.value(path)

    def _program(self, data: bytes) -> None:
        """Null names and switches without their high bit stay as they are; commands are of one port."""
        told: list[tuple[str, Any]] = []
        if data[14]:
            told.append(("/names/short", data[14:32].split(b"\0")[0].decode("latin-1").strip()))
        if data[32]:
            told.append(("/names/long", data[32:96].split(b"\0")[0].decode("latin-1").strip()))
        if data[12] & 0x80:
            told.append(("/net", data[12] & 0x7F))
        if data[104] & 0x80:
            told.append(("/subnet", data[104] & 0x0F))
        page = max(data[13], 1) - 1
        for n in range(min(self.form.ports - page * 4, 4)):
            number = page * 4 + n + 1
            low = data[(96 if self._takes_in(number) else 100) + n]
            if low & 0x80:
                told.append((f"/ports/{number}/universe", low & 0x0F))
        kind, number = data[106] & 0xF0, page * 4 + (data[106] & 0x03) + 1
        words = {0x10: ("merge", "ltp"), 0x50: ("merge", "htp"), 0x60: ("source", "artnet"), 0x70: ("source", "sacn"),
                 0x20: ("direction", "out"), 0x30: ("direction", "in")}  # fmt: skip
        if data[106] in FAILURES:
            told.append(("/failure", FAILURES[data[106]]))
        elif kind in words:
            told.append((f"/ports/{number}/{words[kind][0]}", words[kind][1]))
        if data[106] in (2, 3, 4):
            told.append(("/indicators", {2: "normal", 3: "muted", 4: "located"}[data[106]]))
        for path, value in told:
            try:
                self.described.written(path, value)
            except Wrong:
                continue

    def _takes_in(self, number: int) -> bool:
        return str(self._value(f"/ports/{number}/direction")) == "in"

    def _network(self, data: bytes, address: str) -> None:
        if data[14] & 0x84 == 0x84:
            self.described.written("/network/address", str(ipaddress.IPv4Address(data[16:20])))
            self.described.restart_soon()
        mine = ipaddress.IPv4Address(str(self._value("/network/address")) or self.unit.address)
        mask = ipaddress.IPv4Address("255.255.255.0")
        body = bytes((0, 14, 0, 0, 0, 0)) + mine.packed + mask.packed + bytes(10)
        self.later(0.02, HEAD + (0xF900).to_bytes(2, "little") + body, address, PORT)

    def _reply(self, address: str, *, soon: bool = False) -> None:
        to = BROADCAST if self.form.site.get("broadcast") else address
        pages = max(-(-self.form.ports // 4), int(self.form.site.get("bind", 1)))
        for page in range(pages):
            wait = 0.02 if soon else random.uniform(0.01, 0.9)  # noqa: S311
            self.later(wait, self._packet(page), to, PORT)

    def _packet(self, page: int) -> bytes:
        unit = self.described
        out = bytearray(239)
        out[0:10] = HEAD + (0x2100).to_bytes(2, "little")
        out[10:14] = ipaddress.IPv4Address(self.unit.address).packed
        out[14:16] = PORT.to_bytes(2, "little")
        rom = unit.loading is not None and bool(unit.loading.mode)
        numbers = ["0", "1"] if rom else [*unit.firmware.split("."), "0", "0"]
        out[16], out[17] = int(numbers[0]), int(numbers[1])
        out[18], out[19] = int(self._value("/net")), int(self._value("/subnet"))
        out[20:22] = bytes.fromhex(self.form.oem)
        out[23] = {"located": 1, "muted": 2, "normal": 3}[str(self._value("/indicators"))] << 6
        out[23] |= (0x02 if self.form.rdm else 0) | (0x04 if rom else 0)
        out[24:26] = bytes.fromhex(self.form.esta)[::-1]
        short = str(self._value("/names/short")) or unit.host
        out[26:44] = short.encode("latin-1")[:17].ljust(18, b"\0")
        long = str(self._value("/names/long")) or f"{unit.profile.maker} {unit.reported_model}"
        out[44:108] = long.encode("latin-1")[:63].ljust(64, b"\0")
        out[108:172] = b"#0001 [0000] ready".ljust(64, b"\0")
        count = min(max(self.form.ports - page * 4, 0), 4)
        out[173] = count
        for n in range(count):
            number = page * 4 + n + 1
            inward = self._takes_in(number)
            out[174 + n] = 0x40 if inward else 0x80
            merge, source = self._value(f"/ports/{number}/merge"), self._value(f"/ports/{number}/source")
            out[178 + n] = 1 if inward and source == "sacn" else 0
            out[182 + n] = (2 if merge == "ltp" else 0) | (1 if source == "sacn" and not inward else 0)
            out[(186 if inward else 190) + n] = int(self._value(f"/ports/{number}/universe"))
        out[201:207] = bytes.fromhex(unit.mac.replace(":", ""))
        out[207:211], out[211] = out[10:14], page + 1
        out[217] = 0x20 | list(FAILURES.values()).index(str(self._value("/failure"))) << 6
        out[227] = RATE_HZ
        if uid := self.form.site.get("uid"):
            out[218:224] = bytes.fromhex(str(uid).replace(":", ""))
        return bytes(out)
