"""Answers to multicast and broadcast searches: SSDP, WS-Discovery, Art-Net, PJLink; and sACN's own telling."""

from __future__ import annotations

import asyncio
import random
from xml.etree.ElementTree import ParseError
from xml.sax.saxutils import escape

from netloom_core.errors import ProtocolError
from netloom_core.protocols import artnet, pjlink, sacn, ssdp, wsdiscovery
from netloom_core.protocols.xml import parse, text_of
from netloom_standins.ears import BROADCAST, Ears, send_from
from netloom_standins.services.base import Service


class Searchable(Service):
    """Hears one group or broadcast port."""

    listen_port = 0
    group = BROADCAST

    async def start(self) -> None:
        self._tasks: set[asyncio.Task[None]] = set()
        await Ears.on(self.listen_port, self.group, self._heard)

    async def stop(self) -> None:
        Ears.off(self.listen_port, self.group, self._heard)
        for task in self._tasks:
            task.cancel()

    def _heard(self, data: bytes, address: str, port: int) -> None:
        if not self.deaf:
            self.asked(data, address, port)

    def asked(self, data: bytes, address: str, port: int) -> None:
        raise NotImplementedError

    def later(self, seconds: float, data: bytes, to: str, port: int, own_port: int = 0) -> None:
        async def wait() -> None:
            await asyncio.sleep(seconds)
            if not self.deaf:
                send_from(self.unit.address, data, to, port, own_port=own_port)

        task = asyncio.ensure_future(wait())
        self._tasks.add(task)
        task.add_done_callback(self._tasks.discard)


class SsdpAnswer(Searchable):
    """`options`: title, model, port (of the description; served by the page service)."""

    listen_port, group = ssdp.PORT, ssdp.GROUP

    def asked(self, data: bytes, address: str, port: int) -> None:
        if not data.startswith(b"M-SEARCH"):
            return
        location = f"http://{self.unit.address}:{self.options.get('port', 80)}/description.xml"
        answer = (
            f"HTTP/1.1 200 OK\r\nCACHE-CONTROL: max-age=1800\r\nST: upnp:rootdevice\r\n"
            f"USN: uuid:{self.unit.uuid}::upnp:rootdevice\r\nLOCATION: {location}\r\nSERVER: standin/1 UPnP/2.0\r\n\r\n"
        )
        self.later(random.uniform(0.02, 1.2), answer.encode(), address, port)  # noqa: S311


def description(unit_title: str, maker: str, model: str, serial: str, uuid: str) -> bytes:
    fields = {"friendlyName": unit_title, "manufacturer": maker, "modelName": model, "serialNumber": serial}
    inner = "".join(f"<{name}>{escape(value)}</{name}>" for name, value in fields.items() if value)
    return (
        '<?xml version="1.0"?><root xmlns="urn:schemas-upnp-org:device-1-0"><specVersion><major>2</major>'
        f"<minor>0</minor></specVersion><device>{inner}<UDN>uuid:{uuid}</UDN></device></root>"
    ).encode()


class WsAnswer(Searchable):
    """`options`: types, port, shy (answers without XAddrs, so that a Resolve is needed), twice."""

    listen_port, group = wsdiscovery.PORT, wsdiscovery.GROUP

    def asked(self, data: bytes, address: str, port: int) -> None:
        try:
            root = parse(data)
            action = text_of(root, "Action").rpartition("/")[2]
            wanted = text_of(root, "Types").rpartition(":")[2]
            endpoint = text_of(root, "EndpointReference")
        except (ProtocolError, ParseError):
            return
        types = self.options.get("types", ["NetworkVideoTransmitter", "Device"])
        # Some answer only a probe for a type that they know.
        if action == "Probe" and (wanted in types or (not wanted and not self.options.get("typed_only"))):
            answer = self._matches("Probe", with_url=not self.options.get("shy"))
        elif action == "Resolve" and self.unit.uuid in endpoint:
            answer = self._matches("Resolve", with_url=True)
        else:
            return
        for _ in range(2 if self.options.get("twice") else 1):
            self.later(random.uniform(0.02, 0.5), answer, address, port)  # noqa: S311

    def _matches(self, kind: str, *, with_url: bool) -> bytes:
        url = f"http://{self.unit.address}:{self.options.get('port', 80)}/onvif/device_service" if with_url else ""
        scopes = f"onvif://www.onvif.org/name/{self.unit.host} onvif://www.onvif.org/hardware/{self.unit.profile.model}"
        return (
            '<s:Envelope xmlns:s="http://www.w3.org/2003/05/soap-envelope" '
            f'xmlns:a="{wsdiscovery.ADDRESSING}" xmlns:d="{wsdiscovery.DISCOVERY}" '
            'xmlns:dn="http://www.onvif.org/ver10/network/wsdl"><s:Body>'
            f"<d:{kind}Matches><d:{kind}Match><a:EndpointReference><a:Address>urn:uuid:{self.unit.uuid}</a:Address>"
            f"</a:EndpointReference><d:Types>dn:NetworkVideoTransmitter</d:Types><d:Scopes>{scopes}</d:Scopes>"
            f"<d:XAddrs>{url}</d:XAddrs></d:{kind}Match></d:{kind}Matches></s:Body></s:Envelope>"
        ).encode()


class ArtNetNode(Searchable):
    """`options`: universes, uid, broadcast (answers by broadcast), bind (number of replies)."""

    listen_port = artnet.PORT

    def asked(self, data: bytes, address: str, port: int) -> None:
        try:
            if artnet.opcode(data) != artnet.OP_POLL:
                return
        except ProtocolError:
            return
        to = BROADCAST if self.options.get("broadcast") else address
        for index in range(1, int(self.options.get("bind", 1)) + 1):
            reply = artnet.PollReply(
                address=self.unit.address,
                short_name=self.unit.host[:17],
                long_name=f"{self.unit.profile.maker} {self.unit.reported_model}",
                report="#0001 [0000] ready",
                firmware=self.unit.firmware,
                oem=int(self.unit.profile.match[0].facts.get("oem", "0"), 16) if self.unit.profile.match else 0,
                esta="7FF0",
                style="node",
                universes=tuple(int(u) for u in self.options.get("universes", (0,))),
                mac=self.unit.mac,
                bind_index=index,
                rdm_uid=self.options.get("uid", ""),
            )
            self.later(random.uniform(0.01, 0.9), artnet.build_reply(reply), to, artnet.PORT)  # noqa: S311


class PjlinkSearch(Searchable):
    listen_port = pjlink.PORT

    def asked(self, data: bytes, address: str, port: int) -> None:
        if data == pjlink.SEARCH:
            self.later(random.uniform(0.01, 0.8), f"%2ACKN={self.unit.mac}\r".encode(), address, port)  # noqa: S311


class SacnSource(Service):
    """Tells every ten seconds which universes it sends. `options`: universes, name."""

    async def start(self) -> None:
        self._task = asyncio.ensure_future(self._tell())

    async def stop(self) -> None:
        self._task.cancel()

    async def _tell(self) -> None:
        await asyncio.sleep(random.uniform(0, 2))  # noqa: S311
        source = sacn.Source(
            self.unit.uuid, str(self.options.get("name", self.unit.host)), tuple(self.options["universes"])
        )
        while True:
            if not self.deaf:
                group = sacn.group(sacn.DISCOVERY_UNIVERSE)
                send_from(self.unit.address, sacn.build_discovery(source), group, sacn.PORT)
            await asyncio.sleep(sacn.DISCOVERY_INTERVAL_S)
