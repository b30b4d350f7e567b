"""WS-Discovery: typed and untyped probes, Resolve where an answer has no address, then ONVIF's identity."""

from __future__ import annotations

import asyncio
import secrets
import uuid
from datetime import UTC, datetime
from urllib.parse import urlsplit

from netloom_core.errors import NetloomError, ProtocolError, WrongCredentials
from netloom_core.links.http import HttpLink
from netloom_core.links.udp import UdpLink
from netloom_core.model.device import Credentials
from netloom_core.protocols import onvif, wsdiscovery
from netloom_core.sweep.base import Look, Method

LISTEN_S = 3.0
ANSWER_S = 2.0
ASK_PACKETS = 8
MAX_ENDPOINTS = 1024


class WsDiscovery(Method):
    name = "ws-discovery"
    title = "WS-Discovery and ONVIF"
    needs = "UDP multicast on the line."
    sends = "Three probes by multicast, a Resolve where needed, GetDeviceInformation to each endpoint."
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
        if not any(word in ("NetworkVideoTransmitter", "Device") for word in match.types):
            return
        url = next((u for u in match.urls if u.startswith(f"http://{address}")), "")
        if url:
            await look.pace.take(ASK_PACKETS)
            facts = await device_information(look, address, url, await look.login(address), match.facts())
            if facts:
                look.sight(address, "onvif", uuid=match.uuid, **facts, **look.outside(address))


async def device_information(
    look: Look, address: str, url: str, login: Credentials | None, told: dict[str, str]
) -> dict[str, str]:
    """GetDeviceInformation, first without a user, then with the device's own login or its model's of the factory.

    `told` are facts by which its model is known; a stranger is never told what opens another maker's devices.
    """
    try:
        split = urlsplit(url)
        port = split.port or 80
    except ValueError:
        return {}
    logins: list[Credentials | None] = [None]
    logins += [login] if login else factory_login(look, told)
    link = HttpLink(look.line.source, address, port, timeout=ANSWER_S)
    kind = (("content-type", "application/soap+xml; charset=utf-8"),)
    try:
        for one in logins:
            body = onvif.get_device_information()
            if one is not None:
                now = datetime.now(UTC).strftime("%Y-%m-%dT%H:%M:%SZ")
                body = onvif.get_device_information(one.user, one.password, secrets.token_bytes(16), now)
            try:
                status, answer = await link.request("POST", split.path or "/", body, kind)
                if status not in (401, 403):
                    return onvif.parse_device_information(answer)
            except WrongCredentials:
                continue
        return {"refused": "ONVIF wants a user and a password"}
    except NetloomError:
        return {}
    finally:
        link.close()


def factory_login(look: Look, told: dict[str, str]) -> list[Credentials | None]:
    profile = look.library.best(told)
    if profile is None or not profile.reach.onvif or not profile.factory.user:
        return []
    return [Credentials(profile.factory.user, profile.factory.password)]
