"""A responder on one interface, for a while: it hears who asks, answers whom it is to answer, and shows each exchange.

Off until somebody asks for it. Before an address is given away it is asked for on the wire: who answers there has it.
Another server on the line is looked for when it begins, every minute, and overheard.
"""

from __future__ import annotations

import asyncio
import contextlib
import ipaddress
import logging
import random
from collections import OrderedDict, deque
from collections.abc import Awaitable, Callable, Mapping
from dataclasses import asdict, dataclass, field
from typing import Any

from netloom_core.clock import Clock
from netloom_core.errors import CannotDo, LinkError, NetloomError, ProtocolError, RequestError
from netloom_core.leases.responder import Decision, Lease, decide, terms_of
from netloom_core.links.arp import ArpLink
from netloom_core.links.interfaces import interface_of, mac_of
from netloom_core.links.udp import UdpLink
from netloom_core.model.line import Line
from netloom_core.protocols import arp, dhcp

log = logging.getLogger("netloom.leases")
EVERYBODY = "255.255.255.255"
TURN_S = 1.0  # what one sender may fill is bounded for each
LOOK_S = 0.5  # for who has an address already; a host answers an ARP question within milliseconds
ASK_AGAIN_S = 60.0  # for other servers
LISTEN_S = 2.0
PLAN_S = 1.0
SHOWN = 200  # exchanges
STRANGERS = 128
AT_ONCE = 64


@dataclass(frozen=True)
class LeasePlan:
    """Of a line: who is to have which address, by MAC address; and what goes with it."""

    line: Line
    leases: Mapping[str, Lease]
    mask: str = ""
    router: str = ""


Plan = Callable[[], Awaitable[LeasePlan]]


@dataclass
class Exchange:
    time: float
    mac: str
    name: str
    host: str
    asked: str
    said: str
    count: int = 1


@dataclass
class Giver:
    """One line's. `tell` is called whenever something happened; `shown` is what it is like then."""

    line: Line
    plan: Plan
    clock: Clock
    until: float
    by: str
    tell: Callable[[], None]
    accepted: dict[str, Lease] = field(default_factory=dict)
    exchanges: deque[Exchange] = field(default_factory=lambda: deque(maxlen=SHOWN))
    strangers: OrderedDict[str, Exchange] = field(default_factory=OrderedDict)
    given: dict[str, str] = field(default_factory=dict)
    others: dict[str, str] = field(default_factory=dict)
    notes: list[str] = field(default_factory=list)
    trouble: str = ""
    _jobs: set[asyncio.Task[None]] = field(default_factory=set)
    _arp: ArpLink | None = None
    _last: tuple[float, LeasePlan] | None = None
    _heard: list[tuple[str, set[str]]] = field(default_factory=list)  # addresses that are asked for, who has them

    def __post_init__(self) -> None:
        if self.line.kind != "ip":
            raise CannotDo(f"{self.line.name} is no IP network.", "Addresses are given on IP networks.")
        if self.line.loopback:
            raise CannotDo(
                "On loopback nobody asks for an address.", "It is for a line on a real interface of this computer."
            )
        self._interface = self.line.interface or interface_of(self.line.source)
        if not self._interface:
            raise CannotDo(f"No interface of this computer has {self.line.source}.", "Look at the line's network.")
        self._own = mac_of(self._interface).hex(":")
        # Nothing may be heard from, or said to, another line than this one.
        self._link = UdpLink(
            self.line.source, port=dhcp.SERVER_PORT, anywhere=True, interface=self._interface, only=True
        )

    def shown(self) -> dict[str, Any]:
        return {
            "line": self.line.id,
            "interface": self._interface,
            "by": self.by,
            "until": self.until,
            "exchanges": [asdict(one) for one in reversed(self.exchanges)],
            "strangers": [asdict(one) for one in reversed(self.strangers.values())],
            "given": [{"mac": mac, "address": address} for mac, address in self.given.items()],
            "accepted": [{"mac": mac, "address": one.address} for mac, one in self.accepted.items()],
            "others": [{"server": server, "how": how} for server, how in self.others.items()],
            "notes": list(self.notes),
            "trouble": self.trouble,
        }  # fmt: skip

    def accept(self, mac: str, address: str, name: str = "") -> None:
        """A person names one that the plan does not. Raises RequestError."""
        if not self.line.holds(address) or address == self.line.source:
            raise RequestError(f"{address} is no address for a unit on {self.line.name}.", "Choose a free one.")
        if other := next((m for m, lease in self.accepted.items() if lease.address == address and m != mac), ""):
            raise RequestError(f"{address} was given to {other} a moment ago.", "Choose another one.")
        self.accepted[mac] = Lease(address, name)
        self.strangers.pop(mac, None)
        self.tell()

    async def run(self) -> None:
        """Until the time is over, or it is cancelled. What goes wrong with the interface ends it, and is told."""
        with contextlib.ExitStack() as stack:
            stack.enter_context(self._link)
            try:
                self._arp = stack.enter_context(ArpLink(self._interface, self._overhear))
            except LinkError as error:
                self.notes.append(f"Whether an address is free is not asked first: {error.message}")
            self._job(self._look_for_others())
            self.tell()
            try:
                ends = asyncio.get_running_loop().time() + self.until - self.clock.now()  # whatever the clock does then
                while asyncio.get_running_loop().time() < ends:
                    async for data, address, port in self._link.answers(TURN_S):
                        if len(self._jobs) < AT_ONCE:
                            self._job(self._answer(data, address, port))
            except LinkError as error:
                self.trouble = f"{error.message} No address is given any more."
            finally:
                for job in self._jobs:
                    job.cancel()
                await asyncio.gather(*self._jobs, return_exceptions=True)

    def _job(self, work: Any) -> None:
        task = asyncio.ensure_future(work)
        self._jobs.add(task)
        task.add_done_callback(self._jobs.discard)

    async def _answer(self, data: bytes, address: str, port: int) -> None:
        try:
            question = dhcp.parse_question(data)
        except ProtocolError:
            return
        if question.mac == self._own:
            return  # ours, for other servers
        try:
            plan = await self._planned()
            terms = terms_of(self.line.source, self.line.network, plan.mask, plan.router)
            leases = {**self.accepted, **plan.leases}  # whoever came into the plan meanwhile has what that says
            decision = decide(question, leases, terms)
            named = leases.get(question.mac)
            if decision.to and not self.line.holds(decision.to):
                decision = Decision(decision.asked, f"not answered: {decision.to} is on another line")
            elif named and sum(1 for lease in leases.values() if lease.address == named.address) > 1:
                decision = Decision(decision.asked, f"not answered: {named.address} is planned for another one, too")
            decision = await self._if_free(decision, question.mac)
            self.trouble = ""
            if decision.other:
                self.others.setdefault(decision.other, "a unit takes its offer")
            if decision.reply:
                await self._link.send(decision.reply, decision.to or EVERYBODY, dhcp.CLIENT_PORT)
            if question.kind == dhcp.RELEASE:
                self.given.pop(question.mac, None)
            if decision.taken and decision.reply:
                self.given[question.mac] = decision.taken
        except NetloomError as error:
            self.trouble = error.message
            return
        self._note(question, decision, named.name if named else "")

    async def _planned(self) -> LeasePlan:
        """Looked up once a second at most, however many ask."""
        now = self.clock.now()
        if self._last is None or not 0 <= now - self._last[0] < PLAN_S:
            self._last = now, await self.plan()
        return self._last[1]

    def _note(self, question: dhcp.Question, decision: Decision, name: str) -> None:
        now = self.clock.now()
        last = self.exchanges[-1] if self.exchanges else None
        if last is not None and (last.mac, last.asked, last.said) == (question.mac, decision.asked, decision.said):
            last.time, last.count = now, last.count + 1
        else:
            self.exchanges.append(Exchange(now, question.mac, name, question.host, decision.asked, decision.said))
        if decision.stranger:
            known = self.strangers.pop(question.mac, None)
            count = known.count + 1 if known else 1
            self.strangers[question.mac] = Exchange(
                now, question.mac, question.vendor, question.host, decision.asked, decision.said, count
            )
            while len(self.strangers) > STRANGERS:
                self.strangers.popitem(last=False)
        self.tell()

    async def _if_free(self, decision: Decision, mac: str) -> Decision:
        """An address that another one has is not given away; who asks may have it already itself."""
        if not decision.gives:
            return decision
        if decision.gives == self.line.source:
            return Decision(decision.asked, f"not answered: {decision.gives} is this computer's own address")
        if given := self._given_to_another(decision.gives, mac):
            return Decision(
                decision.asked, f"not answered: {decision.gives} was given to {given}, which may have it still"
            )
        holders = await self._who_has(decision.gives) - {mac}
        if not holders:
            return decision
        return Decision(decision.asked, f"not answered: {sorted(holders)[0]} has {decision.gives} already")

    def _given_to_another(self, address: str, mac: str) -> str:
        """Who has it by what was given here; one whose cable is out answers nobody, and has it all the same."""
        return next((other for other, has in self.given.items() if has == address and other != mac), "")

    async def _who_has(self, address: str) -> set[str]:
        if self._arp is None:
            return set()
        asked: tuple[str, set[str]] = (address, set())
        self._heard.append(asked)
        try:
            for _ in range(2):
                self._arp.ask(self.line.source, address)
                await asyncio.sleep(LOOK_S / 2)
        finally:
            self._heard = [one for one in self._heard if one is not asked]
        return asked[1]

    def _overhear(self, packet: arp.Arp) -> None:
        for address, macs in self._heard:
            if address == packet.address:
                macs.add(packet.mac)

    # Others who give addresses there

    async def _look_for_others(self) -> None:
        while True:
            try:
                await self._ask_for_others()
            except LinkError as error:
                note = f"Other servers are not looked for: {error.message}"
                if note not in self.notes:
                    self.notes.append(note)
                    self.tell()
            await asyncio.sleep(ASK_AGAIN_S)

    async def _ask_for_others(self) -> None:
        """A DHCPDISCOVER whose offers nobody takes, from a MAC address that is in no plan: this interface's own."""
        transaction = random.randint(1, 2**32 - 1)  # noqa: S311 - only to tell answers apart
        with UdpLink(self.line.source, port=dhcp.CLIENT_PORT, anywhere=True, interface=self._interface) as link:
            question = dhcp.question(dhcp.DISCOVER, transaction, mac_of(self._interface))
            await link.send(question, EVERYBODY, dhcp.SERVER_PORT)
            async for data, address, _ in link.answers(LISTEN_S):
                with contextlib.suppress(ProtocolError):
                    told = dhcp.parse_answer(data)
                    own = told.server == self.line.source or address == self.line.source
                    if told.transaction == transaction and not own and _usable(told.server):
                        if told.server not in self.others:
                            log.warning("another server, %s, gives addresses on %s", told.server, self.line.name)
                        self.others[told.server] = f"it offers {told.offered}" if told.offered else "it answers"
                        self.tell()


def _usable(address: str) -> bool:
    return bool(address) and not ipaddress.ip_address(address).is_unspecified
