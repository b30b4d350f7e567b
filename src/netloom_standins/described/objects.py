"""An SNMP agent as a description tells it: objects that are places of a memory. By v2c, read and set.

RFC 3416: a set is taken whole or not at all; its error names the first object that it does not like.
"""

from __future__ import annotations

from bisect import bisect_right
from typing import Any, Literal

from pyasn1.codec.ber import decoder, encoder
from pyasn1.error import PyAsn1Error
from pydantic import BaseModel, ConfigDict
from pysnmp.proto import api

from netloom_standins.described.memory import Wrong, spread
from netloom_standins.described.unit import UNSET, DescribedUnit
from netloom_standins.services.base import UdpService
from netloom_standins.services.snmp import SnmpAgent

V2C: Any = api.PROTOCOL_MODULES[api.SNMP_VERSION_2C]
NO_ACCESS, WRONG_TYPE, WRONG_VALUE, NOT_WRITABLE, COMMIT_FAILED = 6, 7, 10, 17, 14


class Object(BaseModel):
    """`oid` with `{1}` for the number on the axis. `constant` is a word of the unit."""

    model_config = ConfigDict(extra="forbid")

    oid: str
    syntax: Literal["integer", "gauge", "counter64", "text", "octets", "ip", "oid"] = "integer"
    words: dict[str, int] = {}
    times: float = 1
    constant: str = ""
    writable: bool = False
    kept: bool = False


class Traps(BaseModel):
    """`to` is the path of the address that they go to; `of` are the paths whose changes are told."""

    model_config = ConfigDict(extra="forbid")

    to: str
    port: int = 162
    of: list[str]


class AgentForm(BaseModel):
    model_config = ConfigDict(extra="forbid")

    face: str
    port: int = 161
    read: str = "public"
    write: str = "private"
    most: int = 32  # values in one answer
    objects: dict[str, Object] = {}
    commands: dict[str, dict[int, str]] = {}
    site: dict[str, Any] = {}
    traps: Traps | None = None


class Agent(UdpService):
    port = 161

    def __init__(self, unit: Any, options: dict[str, Any]) -> None:
        super().__init__(unit, options)
        self.form = AgentForm.model_validate(options)
        self.port = self.form.port
        self._objects: dict[tuple[int, ...], tuple[str, Object]] = {}
        for pattern, what in self.form.objects.items():
            for path in spread(pattern):
                numbers = [part for part in path.split("/") if part.isdecimal()]
                oid = what.oid
                for at, number in enumerate(numbers, 1):
                    oid = oid.replace(f"{{{at}}}", number)
                self._objects[tuple(int(part) for part in oid.split("."))] = (path, what)
        for number, state in self.form.site.get("ports", {}).items():
            self.described.memory.begin(f"/ports/{number}/link", state)
        self._site: dict[tuple[int, ...], Any] = {}
        if self.form.site:
            self._site = {oid: v for oid, v in SnmpAgent(unit, self.form.site).rows() if oid not in self._objects}
        self._names = sorted([*self._objects, *self._site])
        self._oids = {path: oid for oid, (path, _) in self._objects.items()}
        self._told_of = {one for path in (self.form.traps.of if self.form.traps else ()) for one in spread(path)}

    async def start(self) -> None:
        await super().start()
        if self._told_of:
            self.described.talks.append(self)

    async def stop(self) -> None:
        if self in self.described.talks:
            self.described.talks.remove(self)
        await super().stop()

    def tell(self, path: str, value: Any) -> None:
        """A change, as a trap of v2c: the time, what it is, and the object with its value (RFC 3416 clause 4.2.6)."""
        if path not in self._told_of or self.deaf or self._transport is None or self.form.traps is None:
            return
        to = str(self.described.memory.value(self.form.traps.to))
        if to == UNSET:
            return
        oid = self._oids[path]
        pdu = V2C.TrapPDU()
        V2C.apiTrapPDU.set_defaults(pdu)
        binds = [*V2C.apiTrapPDU.get_varbinds(pdu)[:2], (oid, self._told(oid))]
        V2C.apiTrapPDU.set_varbinds(pdu, binds)
        message = V2C.Message()
        V2C.apiMessage.set_defaults(message)
        V2C.apiMessage.set_community(message, self.form.read)
        V2C.apiMessage.set_pdu(message, pdu)
        self._transport.sendto(encoder.encode(message), (to, self.form.traps.port))

    def started(self) -> None:
        """Nothing is said at its start."""

    @property
    def described(self) -> DescribedUnit:
        return self.unit  # type: ignore[return-value]

    def answer(self, data: bytes) -> bytes:
        try:
            message, _ = decoder.decode(data, asn1Spec=V2C.Message())
            community = str(V2C.apiMessage.get_community(message))
            request = V2C.apiMessage.get_pdu(message)
            kind = request.__class__.__name__
            asked = [(tuple(map(int, oid)), value) for oid, value in V2C.apiPDU.get_varbinds(request)]
        except (PyAsn1Error, ValueError, TypeError, AttributeError, IndexError):
            return b""
        if community not in (self.form.read, self.form.write):
            return b""
        error, index = 0, 0
        if kind == "GetRequestPDU":
            if len(asked) > self.form.most:
                error, binds = 1, []
            else:
                binds = [(oid, self._told(oid)) for oid, _ in asked]
        elif kind in ("GetNextRequestPDU", "GetBulkRequestPDU"):
            rows = 1 if kind == "GetNextRequestPDU" else int(V2C.apiBulkPDU.get_max_repetitions(request))
            binds = self._following([oid for oid, _ in asked], min(rows, self.form.most))
        elif kind == "SetRequestPDU":
            error, index = (NO_ACCESS, 1) if community != self.form.write else self._set(asked)
            binds = list(asked)
        else:
            return b""
        return self._reply(request, community, binds, error, index)

    def _reply(self, request: Any, community: str, binds: list[Any], error: int, index: int) -> bytes:
        response = V2C.GetResponsePDU()
        V2C.apiPDU.set_defaults(response)
        V2C.apiPDU.set_request_id(response, V2C.apiPDU.get_request_id(request))
        V2C.apiPDU.set_error_status(response, error)
        V2C.apiPDU.set_error_index(response, index)
        V2C.apiPDU.set_varbinds(response, binds)
        reply = V2C.Message()
        V2C.apiMessage.set_defaults(reply)
        V2C.apiMessage.set_community(reply, community)
        V2C.apiMessage.set_pdu(reply, response)
        return bytes(encoder.encode(reply))

    def _following(self, at: list[tuple[int, ...]], rows: int) -> list[Any]:
        binds: list[Any] = []
        for _ in range(rows):
            for number, oid in enumerate(at):
                place = bisect_right(self._names, oid)
                here = self._names[place] if place < len(self._names) else None
                binds.append((here, self._told(here)) if here else (oid, V2C.EndOfMibView("")))
                at[number] = here or oid
        return binds

    def _told(self, oid: tuple[int, ...]) -> Any:
        if oid in self._site:
            return self._site[oid]
        if oid not in self._objects:
            return V2C.NoSuchInstance("")
        path, what = self._objects[oid]
        unit = self.described
        if what.constant:
            value: Any = unit.words.get(what.constant, what.constant)
        else:
            value = unit.memory.kept(path) if what.kept else unit.memory.value(path)
        if str(value) in what.words:
            return V2C.Integer32(what.words[str(value)])
        match what.syntax:
            case "integer":
                return V2C.Integer32(round(float(value) * what.times))
            case "gauge":
                return V2C.Gauge32(round(float(value) * what.times))
            case "counter64":
                return V2C.Counter64(int(value))
            case "ip":
                return V2C.IpAddress(str(value))
            case "octets":
                return V2C.OctetString(hexValue=str(value).replace(":", ""))
            case "oid":
                return V2C.ObjectIdentifier(str(value))
        return V2C.OctetString(str(value).encode())

    def _set(self, asked: list[tuple[tuple[int, ...], Any]]) -> tuple[int, int]:
        """First whether all can be, then all of it."""
        unit = self.described
        told: list[tuple[str, Any]] = []
        does: list[str] = []
        for number, (oid, value) in enumerate(asked, 1):
            name = ".".join(map(str, oid))
            if name in self.form.commands:
                does.append(self.form.commands[name].get(int(value), ""))
                continue
            path, what = self._objects.get(oid, ("", Object(oid="0")))
            if not path or not what.writable:
                return NOT_WRITABLE, number
            try:
                said = self._said(what, value)
                unit.memory.cells[path].parsed(said)
            except (Wrong, ValueError, TypeError):
                return WRONG_VALUE, number
            told.append((path, said))
        if unit.faults.refuse_writes:
            return COMMIT_FAILED, 1
        if unit.pulled():
            told = told[: len(told) // 2]
        for path, said in told:
            unit.written(path, said)
        for one in does:
            unit.do(one)
        return 0, 0

    @staticmethod
    def _said(what: Object, value: Any) -> Any:
        if what.words:
            return next(word for word, number in what.words.items() if number == int(value))
        if what.syntax in ("integer", "gauge"):
            number = int(value) / what.times
            return int(number) if float(number).is_integer() else number
        if what.syntax == "ip":
            return ".".join(str(octet) for octet in value.asOctets())
        return value.asOctets().decode("utf-8", "replace")
