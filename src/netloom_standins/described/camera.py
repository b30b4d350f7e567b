"""An ONVIF device service as a description tells it (ONVIF Core Specification, clause 8): SOAP in, SOAP out.

Its own reading of WS-Security's user name token: SHA-1 of nonce, time and password, good for a minute by its own clock.
"""

from __future__ import annotations

import asyncio
import base64
import hashlib
from datetime import UTC, datetime, timedelta
from typing import Any
from xml.etree import ElementTree
from xml.sax.saxutils import escape

from pydantic import BaseModel, ConfigDict

from netloom_standins.described.memory import Wrong
from netloom_standins.described.unit import DescribedUnit
from netloom_standins.services.base import TcpService

SOAP = "http://www.w3.org/2003/05/soap-envelope"
DEVICE = "http://www.onvif.org/ver10/device/wsdl"
TYPES = "http://www.onvif.org/ver10/schema"
GOOD_FOR = timedelta(seconds=60)
DEVICE_IO = "http://www.onvif.org/ver10/deviceIO/wsdl"
EVENTS = "http://www.onvif.org/ver10/events/wsdl"
WSN = "http://docs.oasis-open.org/wsn/b-2"
WSA = "http://www.w3.org/2005/08/addressing"
IO_PATH, EVENTS_PATH = "/onvif/io", "/onvif/events"
OPEN = ("GetSystemDateAndTime",)


class CameraForm(BaseModel):
    model_config = ConfigDict(extra="forbid")

    face: str
    port: int = 80
    title: str = ""
    user: str
    password: str = ""
    password_at: str = ""  # where in its memory the password is, where it can be changed
    behind: int = 0  # seconds that its clock is behind
    relays: int = 2
    inputs: int = 0
    events: bool = True
    site: dict[str, Any] = {}


class Denied(Exception):
    """No user, or not the right one."""


class Camera(TcpService):
    port = 80

    def __init__(self, unit: Any, options: dict[str, Any]) -> None:
        super().__init__(unit, options)
        self.form = CameraForm.model_validate(options)
        self._events: dict[str, list[tuple[str, str, str, str]]] = {}
        self._pullers = 0
        self.described.memory.changed.append(self._changed)

    async def stop(self) -> None:
        await super().stop()
        self.described.memory.changed.remove(self._changed)

    @property
    def described(self) -> DescribedUnit:
        return self.unit  # type: ignore[return-value]

    async def serve(self, reader: Any, writer: Any) -> None:
        while True:
            head = (await reader.readuntil(b"\r\n\r\n")).decode("latin-1")
            lengths = [line.split(":")[1] for line in head.lower().splitlines() if line.startswith("content-length")]
            body = await reader.readexactly(min(int(lengths[0]) if lengths else 0, 100_000))
            if self.deaf:
                continue
            path = head.split(" ")[1]
            status, content = await self._answer(path, body)
            if self.deaf:
                continue
            kind = "application/soap+xml" if path.startswith("/onvif") else "text/html"
            writer.write(
                f"HTTP/1.1 {status} X\r\nContent-Length: {len(content)}\r\nContent-Type: {kind}\r\n\r\n".encode()
                + content
            )
            await writer.drain()

    async def _answer(self, path: str, body: bytes) -> tuple[int, bytes]:
        if not path.startswith("/onvif"):
            title = self.form.title or self.described.host
            return 200, f"<html><head><title>{escape(title)}</title></head></html>".encode()
        try:
            envelope = ElementTree.fromstring(body)  # noqa: S314 - a stand-in reads what its own tests send
            operation = next(iter(envelope.find(f"{{{SOAP}}}Body")))  # type: ignore[arg-type]
        except (ElementTree.ParseError, TypeError, StopIteration):
            return 400, b""
        name = operation.tag.rpartition("}")[2]
        try:
            if name not in OPEN:
                self._let_in(envelope)
            where = path.partition("?")[0]
            if where != {"GetDigitalInputs": IO_PATH, "SetDigitalInputConfigurations": IO_PATH,
                         "CreatePullPointSubscription": EVENTS_PATH}.get(name, where):  # fmt: skip
                return 500, self._fault("ter:ActionNotSupported", "NotSupported")
            if name == "CreatePullPointSubscription" and not self.form.events:
                return 500, self._fault("ter:ActionNotSupported", "NotSupported")
            if name in ("PullMessages", "Unsubscribe"):
                return 200, await self._at_subscription(name, path)
            work = getattr(self, f"_{name}", None)
            if work is None:
                return 500, self._fault("ter:ActionNotSupported", "NotSupported")
            inner = work(operation)
        except Denied:
            return 400, self._fault("ter:NotAuthorized", "Sender not authorized")
        except Wrong as error:
            return 400, self._fault("ter:InvalidArgVal", f"refused: {error}")
        answer = f'<tds:{name}Response xmlns:tds="{DEVICE}" xmlns:tt="{TYPES}">{inner}</tds:{name}Response>'
        return 200, f'<s:Envelope xmlns:s="{SOAP}"><s:Body>{answer}</s:Body></s:Envelope>'.encode()

    async def _at_subscription(self, name: str, path: str) -> bytes:
        number = path.rpartition("=")[2]
        inner, space = "", EVENTS
        if name == "PullMessages":
            inner = await self._PullMessages(number)
        else:
            self._events.pop(number, None)
            space = WSN
        answer = f'<x:{name}Response xmlns:x="{space}" xmlns:tt="{TYPES}">{inner}</x:{name}Response>'
        return f'<s:Envelope xmlns:s="{SOAP}"><s:Body>{answer}</s:Body></s:Envelope>'.encode()

    def _let_in(self, envelope: ElementTree.Element) -> None:
        header = envelope.find(f"{{{SOAP}}}Header")
        words = header.iter() if header is not None else iter(())
        said = {element.tag.rpartition("}")[2]: (element.text or "").strip() for element in words}
        try:
            created = datetime.strptime(said["Created"], "%Y-%m-%dT%H:%M:%SZ").replace(tzinfo=UTC)
            nonce = base64.b64decode(said["Nonce"])
        except (KeyError, ValueError) as error:
            raise Denied from error
        mine = hashlib.sha1(nonce + said["Created"].encode() + self._password.encode()).digest()  # noqa: S324
        late = abs(self._now() - created) > GOOD_FOR
        if late or said.get("Username") != self.form.user or said.get("Password") != base64.b64encode(mine).decode():
            raise Denied

    @property
    def _password(self) -> str:
        return str(self.described.memory.value(self.form.password_at)) if self.form.password_at else self.form.password

    def _now(self) -> datetime:
        return datetime.now(UTC) - timedelta(seconds=self.form.behind)

    @staticmethod
    def _fault(code: str, text: str) -> bytes:
        return (
            f'<s:Envelope xmlns:s="{SOAP}" xmlns:ter="http://www.onvif.org/ver10/error"><s:Body><s:Fault><s:Code>'
            f"<s:Value>s:Sender</s:Value><s:Subcode><s:Value>{code}</s:Value></s:Subcode></s:Code><s:Reason>"
            f'<s:Text xml:lang="en">{escape(text)}</s:Text></s:Reason></s:Fault></s:Body></s:Envelope>'
        ).encode()

    # Operations

    def _value(self, path: str) -> str:
        return escape(str(self.described.memory.value(path)))

    @staticmethod
    def _told(operation: ElementTree.Element, name: str) -> str:
        return next((e.text or "" for e in operation.iter() if e.tag.rpartition("}")[2] == name), "")

    def _set(self, path: str, said: str) -> str:
        if not self.described.pulled():
            self.described.written(path, said)
        return ""

    def _GetSystemDateAndTime(self, operation: Any) -> str:
        now = self._now()
        return (
            "<tds:SystemDateAndTime><tt:DateTimeType>Manual</tt:DateTimeType><tt:UTCDateTime>"
            f"<tt:Time><tt:Hour>{now.hour}</tt:Hour><tt:Minute>{now.minute}</tt:Minute><tt:Second>{now.second}</tt:Second>"
            f"</tt:Time><tt:Date><tt:Year>{now.year}</tt:Year><tt:Month>{now.month}</tt:Month><tt:Day>{now.day}</tt:Day>"
            "</tt:Date></tt:UTCDateTime></tds:SystemDateAndTime>"
        )

    def _GetDeviceInformation(self, operation: Any) -> str:
        words = self.described.words
        fields = {"Manufacturer": "maker", "Model": "model", "FirmwareVersion": "firmware", "SerialNumber": "serial"}
        told = "".join(f"<tds:{name}>{escape(words[word])}</tds:{name}>" for name, word in fields.items())
        return told + "<tds:HardwareId>1</tds:HardwareId>"

    def _GetUsers(self, operation: Any) -> str:
        level = "<tt:UserLevel>Administrator</tt:UserLevel>"
        return f"<tds:User><tt:Username>{self.form.user}</tt:Username>{level}</tds:User>"

    def _SetUser(self, operation: Any) -> str:
        if self._told(operation, "Username") != self.form.user or self._told(operation, "UserLevel") != "Administrator":
            raise Wrong("no such user, or not that level")
        return self._set(self.form.password_at, self._told(operation, "Password")) if self.form.password_at else ""

    def _GetServices(self, operation: Any) -> str:
        """Its services of inputs and events are at paths of its own."""
        at = f"http://{self.unit.address}:{self.form.port}"
        told = {DEVICE: "/onvif/device_service", DEVICE_IO: IO_PATH, EVENTS: EVENTS_PATH}
        return "".join(
            f"<tds:Service><tds:Namespace>{name}</tds:Namespace><tds:XAddr>{at}{path}</tds:XAddr></tds:Service>"
            for name, path in told.items()
        )

    # Inputs and events

    def _GetDigitalInputs(self, operation: Any) -> str:
        return "".join(
            f'<tds:DigitalInputs token="in{n}" IdleState="{self._value(f"/inputs/{n}/rest")}"/>'
            for n in range(1, self.form.inputs + 1)
        )

    def _SetDigitalInputConfigurations(self, operation: Any) -> str:
        for one in operation.iter():
            if one.tag.rpartition("}")[2] == "DigitalInputs":
                number = one.get("token", "").removeprefix("in")
                if not number.isdecimal() or not 1 <= int(number) <= self.form.inputs:
                    raise Wrong("no such input")
                self._set(f"/inputs/{number}/rest", one.get("IdleState", ""))
        return ""

    def _CreatePullPointSubscription(self, operation: Any) -> str:
        self._pullers += 1
        at = f"http://{self.unit.address}:{self.form.port}{EVENTS_PATH}?Idx={self._pullers}"
        self._events[str(self._pullers)] = self._states()
        address = f'<a:Address xmlns:a="{WSA}">{at}</a:Address>'
        return f'<w:SubscriptionReference xmlns:w="{WSN}">{address}</w:SubscriptionReference>'

    def _states(self) -> list[tuple[str, str, str, str]]:
        """How everything is, as events that are Initialized."""
        relays = [self._event(f"/relays/{n}/state") for n in range(1, self.form.relays + 1)]
        return relays + [self._event(f"/inputs/{n}/state") for n in range(1, self.form.inputs + 1)]

    def _event(self, path: str) -> tuple[str, str, str, str]:
        _, kind, number, _ = path.split("/")
        value = self._value(path)
        if kind == "relays":
            return "Relay", "RelayToken", f"out{number}", "active" if value == "on" else "inactive"
        return "DigitalInput", "InputToken", f"in{number}", "true" if value == "active" else "false"

    def _changed(self, path: str, value: Any) -> None:
        if path.endswith("/state"):
            for waiting in self._events.values():
                waiting.append(self._event(path))

    async def _PullMessages(self, number: str) -> str:
        if number not in self._events:
            raise Wrong("no such subscription")
        for _ in range(20):
            if self._events[number]:
                break
            await asyncio.sleep(0.05)
        told, self._events[number] = self._events[number], []
        return "".join(
            f'<wsnt:NotificationMessage xmlns:wsnt="{WSN}"><wsnt:Topic xmlns:tns1="http://www.onvif.org/ver10/topics">'
            f"tns1:Device/Trigger/{topic}</wsnt:Topic><wsnt:Message><tt:Message>"
            f'<tt:Source><tt:SimpleItem Name="{name}" Value="{token}"/></tt:Source>'
            f'<tt:Data><tt:SimpleItem Name="LogicalState" Value="{state}"/></tt:Data></tt:Message></wsnt:Message>'
            "</wsnt:NotificationMessage>"
            for topic, name, token, state in told
        )

    def _GetHostname(self, operation: Any) -> str:
        inner = f"<tt:FromDHCP>false</tt:FromDHCP><tt:Name>{self._value('/name')}</tt:Name>"
        return f"<tds:HostnameInformation>{inner}</tds:HostnameInformation>"

    def _SetHostname(self, operation: Any) -> str:
        return self._set("/name", self._told(operation, "Name"))

    def _GetNetworkInterfaces(self, operation: Any) -> str:
        address = self._value("/network/address")
        return (
            '<tds:NetworkInterfaces token="eth0"><tt:Enabled>true</tt:Enabled><tt:Info>'
            f"<tt:Name>eth0</tt:Name><tt:HwAddress>{self.described.mac}</tt:HwAddress></tt:Info>"
            "<tt:IPv4><tt:Enabled>true</tt:Enabled><tt:Config><tt:Manual>"
            f"<tt:Address>{address}</tt:Address><tt:PrefixLength>24</tt:PrefixLength></tt:Manual>"
            "<tt:DHCP>false</tt:DHCP></tt:Config></tt:IPv4></tds:NetworkInterfaces>"
        )

    def _SetNetworkInterfaces(self, operation: Any) -> str:
        if self._told(operation, "InterfaceToken") != "eth0":
            raise Wrong("no such interface")
        self._set("/network/address", self._told(operation, "Address"))
        self.described.restart_soon()
        return "<tds:RebootNeeded>false</tds:RebootNeeded>"

    def _GetNetworkDefaultGateway(self, operation: Any) -> str:
        gateway = self._value("/network/gateway")
        return f"<tds:NetworkGateway><tt:IPv4Address>{gateway}</tt:IPv4Address></tds:NetworkGateway>"

    def _SetNetworkDefaultGateway(self, operation: Any) -> str:
        return self._set("/network/gateway", self._told(operation, "IPv4Address"))

    def _GetNTP(self, operation: Any) -> str:
        server = self._value("/time/server")
        return (
            "<tds:NTPInformation><tt:FromDHCP>false</tt:FromDHCP><tt:NTPManual><tt:Type>IPv4</tt:Type>"
            f"<tt:IPv4Address>{server}</tt:IPv4Address></tt:NTPManual></tds:NTPInformation>"
        )

    def _SetNTP(self, operation: Any) -> str:
        return self._set("/time/server", self._told(operation, "IPv4Address"))

    def _GetRelayOutputs(self, operation: Any) -> str:
        said = {"latch": "Bistable", "pulse": "Monostable"}
        return "".join(
            f'<tds:RelayOutputs token="out{n}"><tt:Properties>'
            f"<tt:Mode>{said[self._value(f'/relays/{n}/mode')]}</tt:Mode>"
            f"<tt:DelayTime>PT1S</tt:DelayTime><tt:IdleState>{self._value(f'/relays/{n}/idle')}</tt:IdleState>"
            "</tt:Properties></tds:RelayOutputs>"
            for n in range(1, self.form.relays + 1)
        )

    def _relay(self, operation: Any) -> str:
        token = self._told(operation, "RelayOutputToken")
        number = token.removeprefix("out")
        if not number.isdecimal() or not 1 <= int(number) <= self.form.relays:
            raise Wrong("no such relay")
        return number

    def _SetRelayOutputSettings(self, operation: Any) -> str:
        number = self._relay(operation)
        mode = {"Bistable": "latch", "Monostable": "pulse"}.get(self._told(operation, "Mode"))
        if mode is None or not self._told(operation, "DelayTime").startswith("P"):
            raise Wrong("value")
        self._set(f"/relays/{number}/mode", mode)
        return self._set(f"/relays/{number}/idle", self._told(operation, "IdleState"))

    def _SetRelayOutputState(self, operation: Any) -> str:
        state = {"active": "on", "inactive": "off"}.get(self._told(operation, "LogicalState"), "")
        return self._set(f"/relays/{self._relay(operation)}/state", state)

    def _SystemReboot(self, operation: Any) -> str:
        self.described.restart_soon()
        return "<tds:Message>Rebooting</tds:Message>"
