"""WS-Discovery probes, resolves and their answers; SOAP 1.2 over UDP.

Source: WS-Discovery (April 2005), clauses 5 (Probe and ProbeMatch) and 6 (Resolve), as
the ONVIF Core Specification clause 7.3 uses it; answers in the namespaces of OASIS
WS-Discovery 1.1 are read, too.
"""

from __future__ import annotations

from dataclasses import dataclass
from urllib.parse import unquote

from netloom_core.errors import ProtocolError
from netloom_core.protocols.xml import clean, find_all, local, parse, text_of

GROUP, PORT = "239.255.255.250", 3702
DISCOVERY = "http://schemas.xmlsoap.org/ws/2005/04/discovery"
ADDRESSING = "http://schemas.xmlsoap.org/ws/2004/08/addressing"
MAX_MATCHES = 32
# Some responders answer only a probe for a type that they know, so several are sent.
TYPES = (
    "",
    'xmlns:dn="http://www.onvif.org/ver10/network/wsdl"|dn:NetworkVideoTransmitter',
    'xmlns:tds="http://www.onvif.org/ver10/device/wsdl"|tds:Device',
    'xmlns:wsdp="http://schemas.xmlsoap.org/ws/2006/02/devprof"|wsdp:Device',
)


@dataclass(frozen=True)
class Match:
    """One endpoint. `urls` are its transport addresses; empty ones need a Resolve."""

    endpoint: str
    types: tuple[str, ...]
    scopes: tuple[str, ...]
    urls: tuple[str, ...]

    @property
    def is_onvif(self) -> bool:
        return any(scope.lower().startswith("onvif://") for scope in self.scopes)

    @property
    def uuid(self) -> str:
        lowered = self.endpoint.lower()
        return lowered.removeprefix("urn:").removeprefix("uuid:") if "uuid:" in lowered else ""

    def facts(self) -> dict[str, str]:
        """What the endpoint tells: UUID, and name and hardware out of ONVIF scopes (clause 7.3.2.2)."""
        facts = {"uuid": self.uuid, "types": " ".join(self.types)[:200]}
        for scope in self.scopes:
            for part, name in (("/name/", "title"), ("/hardware/", "hardware"), ("/location/", "place")):
                if part in scope:
                    facts.setdefault(name, clean(unquote(scope.rpartition(part)[2]), 120))
        return {name: value for name, value in facts.items() if value}


def _envelope(action: str, body: str, message: str) -> bytes:
    return (
        '<?xml version="1.0" encoding="UTF-8"?>'
        f'<s:Envelope xmlns:s="http://www.w3.org/2003/05/soap-envelope" xmlns:a="{ADDRESSING}" '
        f'xmlns:d="{DISCOVERY}"><s:Header><a:Action>{DISCOVERY}/{action}</a:Action>'
        f"<a:MessageID>urn:uuid:{message}</a:MessageID>"
        "<a:To>urn:schemas-xmlsoap-org:ws:2005:04:discovery</a:To></s:Header>"
        f"<s:Body>{body}</s:Body></s:Envelope>"
    ).encode()


def probe(kind: str, message: str) -> bytes:
    """A probe for one of TYPES; `message` is a fresh UUID."""
    space, _, name = kind.partition("|")
    types = f"<d:Types {space}>{name}</d:Types>" if name else ""
    return _envelope("Probe", f"<d:Probe>{types}</d:Probe>", message)


def resolve(endpoint: str, message: str) -> bytes:
    safe = endpoint.replace("&", "&amp;").replace("<", "&lt;")
    reference = f"<a:EndpointReference><a:Address>{safe}</a:Address></a:EndpointReference>"
    return _envelope("Resolve", f"<d:Resolve>{reference}</d:Resolve>", message)


def parse_matches(data: bytes) -> list[Match]:
    """Endpoints of ProbeMatches, ResolveMatches or a Hello. Raises ProtocolError for anything else."""
    root = parse(data)
    found = [e for name in ("ProbeMatch", "ResolveMatch", "Hello") for e in find_all(root, name)][:MAX_MATCHES]
    if not found and not any(local(e) in ("ProbeMatches", "ResolveMatches") for e in root.iter()):
        raise ProtocolError("not an answer of WS-Discovery")
    return [
        Match(
            endpoint=text_of(match, "Address"),
            types=tuple(word.rpartition(":")[2] for word in text_of(match, "Types", 1000).split())[:20],
            scopes=tuple(text_of(match, "Scopes", 4000).split())[:60],
            urls=tuple(text_of(match, "XAddrs", 1000).split())[:8],
        )
        for match in found
    ]
