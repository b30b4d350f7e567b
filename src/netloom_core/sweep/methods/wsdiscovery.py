"""WS-Discovery: typed and untyped probes, Resolve where an answer has no address, then ONVIF's identity and relays."""

from __future__ import annotations

import asyncio
import secrets
import uuid
from datetime import UTC, datetime, timedelta
from urllib.parse import urlsplit

from netloom_core.errors import NetloomError, ProtocolError, WrongCredentials
from netloom_core.links.http import HttpLink
from netloom_core.links.udp import UdpLink
from netloom_core.model.device import Credentials
from netloom_core.protocols import dpws, onvif, wsdiscovery
from netloom_core.sweep.base import Look, Method

LISTEN_S = 3.0
ANSWER_S = 2.0
USUAL_PORT = 80
ASK_PACKETS = 8
MAX_ENDPOINTS = 1024
MAX_LOGINS = 3  # tried at one camera in one sweep: many lock after five
CLOCK_OFF_S = 60.0  # from here on a clock is worth a word: recordings and certificates go by it
SOAP = (("content-type", "application/soap+xml; charset=utf-8"),)


class WsDiscovery(Method):
    name = "ws-discovery"
    title = "WS-Discovery and ONVIF"
    needs = "UDP multicast on the line."
    sends = "Four probes by multicast, a Resolve where needed, the questions for time and identity to each endpoint."
    wait_s = LISTEN_S

    async def run(self, look: Look) -> None:
        asked: dict[str, asyncio.Task[None]] = {}
        resolving: set[str] = set()
        with UdpLink(look.line.source) as link:
            for kind in wsdiscovery.TYPES:
                await look.pace.take()
                await link.send(wsdiscovery.probe(kind, str(uuid.uuid4())), wsdiscovery.GROUP, wsdiscovery.PORT)
            async for data, address, _ in link.answers(LISTEN_S):
                if not look.accepts(address):
                    continue
                try:
                    matches = wsdiscovery.parse_matches(data)
                except ProtocolError:
                    continue
                for match in matches:
                    key = f"{address} {match.endpoint}"
                    if match.urls and key not in asked and len(asked) < MAX_ENDPOINTS:
                        asked[key] = asyncio.ensure_future(self._tell(look, address, match))
                    elif not match.urls and match.endpoint and key not in resolving and len(resolving) < MAX_ENDPOINTS:
                        resolving.add(key)
                        look.sight(address, self.name, **match.facts(), **look.outside(address))
                        await look.pace.take()
                        question = wsdiscovery.resolve(match.endpoint, str(uuid.uuid4()))
                        await link.send(question, wsdiscovery.GROUP, wsdiscovery.PORT)
        await look.all_of(asked.values())

    async def _tell(self, look: Look, address: str, match: wsdiscovery.Match) -> None:
        look.sight(address, self.name, **match.facts(), **look.outside(address))
        url = next((u for u in match.urls if u.startswith(f"http://{address}")), "")
        if not url:
            return
        await look.pace.take(ASK_PACKETS)
        if "NetworkVideoTransmitter" in match.types or "onvif" in url.lower() or match.is_onvif:
            facts = await device_information(look, address, url, await look.login(address), match.facts())
            if facts:
                look.sight(address, "onvif", uuid=match.uuid, **facts, **look.outside(address))
        elif "Device" in match.types and (facts := await metadata(look, address, url, match.endpoint)):
            look.sight(address, "dpws", uuid=match.uuid, **facts, **look.outside(address))


def _place(url: str) -> tuple[int, str] | None:
    """Port and path; None for what is no URL."""
    try:
        split = urlsplit(url)
        return split.port or USUAL_PORT, split.path or "/"
    except ValueError:
        return None


async def metadata(look: Look, address: str, url: str, endpoint: str) -> dict[str, str]:
    """What a device of the Devices Profile says of itself; nothing where it does not."""
    place = _place(url)
    if place is None:
        return {}
    link = HttpLink(look.line.source, address, place[0], timeout=ANSWER_S)
    try:
        status, answer = await link.request("POST", place[1], dpws.get(endpoint, str(uuid.uuid4())), SOAP)
        return dpws.parse_metadata(answer) if status == 200 else {}
    except NetloomError:
        return {}
    finally:
        link.close()


async def device_information(
    look: Look, address: str, url: str, login: Credentials | None, told: dict[str, str]
) -> dict[str, str]:
    """The clock, then GetDeviceInformation: without a user, then with the device's own login those of the line, or its
    model's of the factory, by the device's own time.

    `told` are facts by which its model is known; a stranger is never told what opens another maker's devices.
    """
    place = _place(url)
    if place is None:
        return {}
    logins: list[Credentials | None] = [None]
    logins += [login] if login else [*look.access.onvif, *factory_login(look, told)][:MAX_LOGINS]
    link = HttpLink(look.line.source, address, place[0], timeout=ANSWER_S)
    facts: dict[str, str] = {}
    where = {} if place[0] == USUAL_PORT else {"onvif_port": str(place[0])}
    refused = False
    try:
        off = await _clock(link, place[1])
        if off is not None and abs(off.total_seconds()) >= CLOCK_OFF_S:
            facts["clock"] = _off_by(off)
        for one in logins:
            if one is not None and not look.access.refusals.may(address, one):
                look.note(f"{address}: its login was refused twice and is not tried again by itself.")
                continue
            try:
                status, answer = await link.request("POST", place[1], _asking("GetDeviceInformation", one, off), SOAP)
                if status not in (401, 403):
                    facts |= onvif.parse_device_information(answer)
                    look.access.refusals.taken(address, one)
                    return facts | where | await _relays(link, place[1], one, off)
            except WrongCredentials:
                pass
            look.access.refusals.refused(address, one)
            refused = True
    except NetloomError:
        return facts
    finally:
        link.close()
    return {**facts, **where, "refused": "ONVIF wants a user and a password"} if refused else facts


def _asking(operation: str, login: Credentials | None, off: timedelta | None) -> bytes:
    """An operation without parameters, for anybody or for a user, by the device's own time."""
    if login is None:
        return onvif.request(operation, {})
    now = (datetime.now(UTC) + (off or timedelta())).strftime("%Y-%m-%dT%H:%M:%SZ")
    return onvif.request(operation, {}, token=onvif.Token(login.user, login.password, secrets.token_bytes(16), now))


async def _relays(link: HttpLink, path: str, login: Credentials | None, off: timedelta | None) -> dict[str, str]:
    """How many relay outputs it has; what it does not tell is no fact."""
    try:
        status, answer = await link.request("POST", path, _asking("GetRelayOutputs", login, off), SOAP)
        return {"relays": str(onvif.relays(answer))} if status == 200 else {}
    except NetloomError:
        return {}


async def _clock(link: HttpLink, path: str) -> timedelta | None:
    """How far the device's clock is ahead of this computer's; None where it does not tell."""
    try:
        status, answer = await link.request("POST", path, onvif.get_system_date_and_time(), SOAP)
        return onvif.parse_system_date_and_time(answer) - datetime.now(UTC) if status == 200 else None
    except NetloomError:
        return None


def _off_by(off: timedelta) -> str:
    """In words: its clock is so much behind, or ahead."""
    seconds = abs(off.total_seconds())
    size, unit = next((s, u) for s, u in ((86_400, "d"), (3600, "h"), (60, "min")) if seconds >= s)
    return f"{seconds / size:.0f} {unit} {'ahead' if off > timedelta() else 'behind'}"


def factory_login(look: Look, told: dict[str, str]) -> list[Credentials | None]:
    profile = look.library.best(told)
    if profile is None or not profile.speaks("onvif") or not profile.factory.user:
        return []
    return [Credentials(profile.factory.user, profile.factory.password)]
