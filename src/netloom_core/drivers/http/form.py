"""The form of an HTTP channel: whole documents, or a call for each item, in JSON, XML or form bodies.

Calls are a `path` with a `method` and a `body`; `{user}`, `{password}`, `{point}`, `{state}` and `{value}` are filled
in. Pointers are JSON Pointers (RFC 6901) into the reply; that of an XML reply is read as a tree by the names of its
elements.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, ClassVar, Literal

from pydantic import Field, model_validator

from netloom_core.drivers.wire import Wire
from netloom_core.profiles.abilities import Abilities, Ability
from netloom_core.profiles.binding import Binding, Call
from netloom_core.profiles.channel import Channel, Described
from netloom_core.profiles.item import Item, Need
from netloom_core.profiles.record import Record
from netloom_core.types.base import Part

Body = Literal["json", "xml", "form"]


class HttpCall(Call):
    method: Literal["GET", "POST", "PUT", "PATCH", "DELETE"] = "GET"
    path: str = Field(pattern=r"^/", max_length=300)
    body: dict[str, Any] | None = None
    root: str = Field(default="", pattern=r"^[A-Za-z_][A-Za-z0-9_.-]*$|^$")  # the element around an XML body


class HttpGet(HttpCall):
    """A call whose reply has the value `at` a pointer."""

    at: str = ""


class HttpBinding(Wire, Binding):
    """`pointer` is the place in the whole documents, the item's path where none is given; `point` the name in states.

    `get` and `put` are calls for this one item. Items with the same `get` call share one request.
    """

    pointer: str = ""
    point: str = ""
    get: HttpGet | None = None
    put: HttpCall | None = None


class Forces(Part):
    """How it says that it wants a new code before anything else: the HTTP status, and the value `at` a pointer of the
    reply that is one of `says`."""

    status: int = Field(default=403, ge=400, le=599)
    at: str = ""
    says: list[str] = Field(min_length=1)


class SignIn(Part):
    """How it lets one in. `token` is where the reply of a token's call has it; a cookie needs only the call."""

    kind: Literal["token", "cookie", "basic", "digest"] = "token"
    call: HttpCall | None = None
    token: str = ""
    forces: Forces | None = None

    @model_validator(mode="after")
    def _whole(self) -> SignIn:
        if self.kind in ("token", "cookie") and self.call is None:
            raise ValueError(f"a {self.kind} is had by a call")
        if self.kind == "token" and not self.token:
            raise ValueError("nobody knows where the answer has the token")
        return self


class Behind(Part):
    """How a device tells who is on the bus that it leads: a list at `items`, each with these fields.

    `fields` are JSON Pointers by fact, `address` among them. It can only tell while its
    setting `leads` has one of the values.
    """

    name: str
    list: HttpCall
    items: str = ""
    fields: dict[str, str]
    leads: Need | None = None


class HttpLoad(Part):
    """How it takes a firmware file: the bytes as the whole body, or in a multipart form (RFC 7578) as `field`.

    `seconds` is how long it may take for its answer after the last byte.
    """

    method: Literal["POST", "PUT"] = "POST"
    path: str = Field(pattern=r"^/", max_length=300)
    form: Literal["raw", "multipart"] = "raw"
    field: str = Field(default="file", pattern=r"^[A-Za-z0-9_.-]{1,40}$")
    seconds: float = Field(default=30, gt=0, le=600)


class HttpRecord(Record):
    """The device's own event record: a list at `at` in the answer of `call`, each with pointers to its time, text and
    code. `now` points to what time it has, in the same answer."""

    call: HttpCall
    at: str = ""
    when: str
    text: str
    code: str = ""
    now: str = ""


class HttpChannel(Channel, protocol="http"):
    """`identity` are pointers from fact names into the reply of `identify`, which needs no sign-in, or is the first
    thing asked after it where `known_after_sign_in` is true."""

    binding: ClassVar[type[Binding]] = HttpBinding
    call: ClassVar[type[Call]] = HttpCall
    driven: ClassVar[bool] = True

    protocol: Literal["http"]
    port: int = Field(ge=1, le=65535)
    tls: bool = False
    bodies: Body = "json"
    replies: Body | None = None
    identify: HttpCall
    identity: dict[str, str]
    constant: dict[str, str] = {}
    known_after_sign_in: bool = False
    sign_in: SignIn | None = None
    read: dict[Literal["running", "startup"], HttpCall] = {}
    write: HttpCall | None = None
    states: HttpCall | None = None
    drive: HttpCall | None = None
    events: HttpCall | None = None
    record: HttpRecord | None = None
    load: HttpLoad | None = None
    services: list[str] = []
    behind: Behind | None = None

    @property
    def told(self) -> Body:
        """The form of its replies."""
        return self.replies or self.bodies

    @property
    def tcp_ports(self) -> tuple[int, ...]:
        return (self.port,)

    @property
    def known_first(self) -> bool:
        return not self.known_after_sign_in

    @property
    def leads(self) -> Behind | None:
        return self.behind

    def usual_binding(self, item: Item) -> Binding | None:
        """Whole documents have every item at its path."""
        whole = (item.decided and self.read) or (not item.decided and self.states is not None)
        return HttpBinding() if whole else None

    def abilities(self, name: str, profile: Described) -> Abilities:
        bound = [(item, profile.binding(item, name)) for item in profile.items]
        singles = [(i, b) for i, b in bound if isinstance(b, HttpBinding)]
        can = {Ability.IDENTIFY}
        gets = any(i.decided and b.get for i, b in singles)
        if self.read or gets:
            can.add(Ability.READ)
        if self.write is not None or any(i.decided and b.put for i, b in singles):
            can.add(Ability.WRITE)
        if self.states is not None or any(i.live and b.get for i, b in singles):
            can.add(Ability.STATES)
        if self.drive is not None or any(i.drive and b.put for i, b in singles):
            can.add(Ability.DRIVE)
        found = {Ability.STORE: profile.calls("store", name), Ability.RESTART: profile.calls("restart", name),
                 Ability.WATCH: self.events, Ability.LIST: self.behind, Ability.SIGN_IN: self.sign_in,
                 Ability.RECORD: self.record, Ability.LOAD: self.load}  # fmt: skip
        can |= {ability for ability, there in found.items() if there}
        return Abilities(frozenset(can), frozenset(self.read) | ({"running"} if gets else set()))

    def problems(self, name: str, profile: Described) -> Iterator[str]:
        where = f"channels.{name}"
        told = {*self.identity, *self.constant}
        if not told & {"serial", "mac", "uuid"}:
            yield f"{where}.identity: without serial or mac nobody can tell two units of this model apart"
        for item in profile.items:
            binding = profile.binding(item, name)
            if not isinstance(binding, HttpBinding):
                continue
            if item.decided and binding.get is None and not self.read:
                yield f"{item.path}: bind.{name} has no call that reads it, and {where}.read no document"
            if item.decided and not item.reserved and binding.put is None and self.write is None:
                yield f"{item.path}: bind.{name} has no call that writes it, and {where} none either"
            if item.drive and binding.put is None and self.drive is None:
                yield f"{item.path}: points that can be driven need a call: bind.{name}.put or {where}.drive"
            if item.live and binding.get is None and self.states is None:
                yield f"{item.path}: points with a live state need a call: bind.{name}.get or {where}.states"
