"""What a question for an address is answered with, by the plan alone. Bytes and clocks are others' work.

It is no server for a site's everyday: it answers whom the plan, or a person, names, and stays silent to all others, so
that it takes nobody's client away. Source: RFC 2131 clause 4.3, RFC 951.
"""

from __future__ import annotations

import ipaddress
from collections.abc import Mapping
from dataclasses import dataclass

from netloom_core.protocols import dhcp
from netloom_core.protocols.dhcp import Given, Question

LEASE_S = 3600


@dataclass(frozen=True)
class Lease:
    """Who is to have which address; `name` is the device's."""

    address: str
    name: str = ""


@dataclass(frozen=True)
class Terms:
    """What goes with each address. `server` is this computer's own on that line."""

    server: str
    mask: str
    router: str = ""
    seconds: int = LEASE_S


@dataclass(frozen=True)
class Decision:
    """`reply` to send, where anything is; to the address `to`, or by broadcast where that is empty. `asked` and `said`
    are for people. `gives` is an address that must be free before the reply goes out; `taken` one that the client
    uses from now on; `stranger` whether nobody named who asks; `other` a server whose offer it takes instead.
    """

    asked: str
    said: str
    reply: bytes = b""
    to: str = ""
    gives: str = ""
    taken: str = ""
    stranger: bool = False
    other: str = ""


def decide(question: Question, plan: Mapping[str, Lease], terms: Terms) -> Decision:
    """`plan` is by MAC address, in small letters with colons."""
    asked = _asked(question)
    if question.relay:
        return Decision(asked, f"not answered: it came by the relay {question.relay}, from another line")
    lease = plan.get(question.mac)
    if lease is None:
        return Decision(asked, "not answered: nobody named it", stranger=question.kind in (dhcp.BOOTP, dhcp.DISCOVER))
    return _KINDS[question.kind](question, lease, terms, asked)


def _asked(question: Question) -> str:
    if question.kind == dhcp.REQUEST:
        wanted = question.requested or question.own
        return f"wants {wanted} of {question.server}" if question.server else f"wants to keep {wanted}"
    return {
        dhcp.BOOTP: "asks by BOOTP",
        dhcp.DISCOVER: f"asks, would like {question.requested}" if question.requested else "asks",
        dhcp.DECLINE: f"declines {question.requested}: somebody has it",
        dhcp.RELEASE: f"gives {question.own} back",
        dhcp.INFORM: f"asks for the terms at {question.own}",
    }[question.kind]


def _given(lease: Lease, terms: Terms, seconds: int | None = None) -> Given:
    return Given(lease.address, terms.mask, terms.router, terms.seconds if seconds is None else seconds)


def _bootp(question: Question, lease: Lease, terms: Terms, asked: str) -> Decision:
    reply = dhcp.answer(question, dhcp.BOOTP, terms.server, _given(lease, terms, 0))
    return Decision(asked, f"given {lease.address}", reply, gives=lease.address, taken=lease.address)


def _discover(question: Question, lease: Lease, terms: Terms, asked: str) -> Decision:
    reply = dhcp.answer(question, dhcp.OFFER, terms.server, _given(lease, terms))
    return Decision(asked, f"offered {lease.address}", reply, gives=lease.address)


def _request(question: Question, lease: Lease, terms: Terms, asked: str) -> Decision:
    """Of the four cases of RFC 2131 clause 4.3.2: who takes an offer, who comes back, who goes on."""
    if question.server and question.server != terms.server:
        return Decision(asked, f"not answered: it takes the offer of {question.server}", other=question.server)
    wanted = question.own or question.requested
    if wanted == lease.address:
        reply = dhcp.answer(question, dhcp.ACK, terms.server, _given(lease, terms))
        said = f"given {lease.address} for {terms.seconds // 60} min"
        # Who goes on with an address is answered there; who takes one has none yet, and is answered by broadcast.
        gives = "" if question.server or question.own else lease.address
        return Decision(asked, said, reply, to=question.own, gives=gives, taken=lease.address)
    said = f"refused: it is to have {lease.address}"
    reply = dhcp.answer(question, dhcp.NAK, terms.server, message=f"it is to have {lease.address}")
    return Decision(asked, said, reply)


def _inform(question: Question, lease: Lease, terms: Terms, asked: str) -> Decision:
    """It has an address that it was given at the unit itself: it is told the rest, and no lease (clause 4.3.5)."""
    if not question.own:
        return Decision(asked, "not answered: it does not say where it is")
    reply = dhcp.answer(question, dhcp.ACK, terms.server, Given("", terms.mask, terms.router))
    return Decision(asked, "told the mask and the router", reply, to=question.own)


def _decline(question: Question, lease: Lease, terms: Terms, asked: str) -> Decision:
    return Decision(asked, "noted; it is offered again when it asks and nobody answers there")


def _release(question: Question, lease: Lease, terms: Terms, asked: str) -> Decision:
    return Decision(asked, "noted")


_KINDS = {
    dhcp.BOOTP: _bootp,
    dhcp.DISCOVER: _discover,
    dhcp.REQUEST: _request,
    dhcp.DECLINE: _decline,
    dhcp.RELEASE: _release,
    dhcp.INFORM: _inform,
}


def terms_of(source: str, network: str, mask: str = "", router: str = "") -> Terms:
    """For a line: its own mask where nobody decided another one."""
    return Terms(source, mask or str(ipaddress.IPv4Network(network).netmask), router)
