"""What SSH, Telnet and TLS servers say before anybody signs in."""

from __future__ import annotations

import asyncio
import socket
import ssl
import warnings
from datetime import UTC, datetime

from netloom_core.errors import ProtocolError
from netloom_core.library.load import Library
from netloom_core.links.talk import Talk
from netloom_core.protocols import certificate, telnet
from netloom_core.protocols.xml import clean
from netloom_core.sweep.base import Look, Method

BANNER_S = 1.5
TALK_S = 3.0  # in all
GREETING_LINES = 40
QUIET_S = 0.3  # after the first words of a Telnet server, so that its prompt is seen, too
MAX_BANNER = 2048
SSH_PORT, TELNET_PORT = 22, 23
TLS_PORTS = (443, 8443)
OLD = ("TLSv1", "TLSv1.1")
TOO_OLD = ("UNSUPPORTED_PROTOCOL", "WRONG_SSL_VERSION", "UNKNOWN_PROTOCOL")


def console_ports(library: Library, kind: str, usual: int) -> frozenset[int]:
    named = {p.console.port for p in library if p.console and p.console.kind == kind}
    return frozenset({usual} | (named - {0}))


def parse_ssh(data: bytes) -> dict[str, str]:
    """Facts of an identification string, RFC 4253 clause 4.2. Raises ProtocolError when it is none."""
    for line in data.split(b"\n")[:GREETING_LINES]:
        text = clean(line.decode("utf-8", "replace"), 255)
        if text.startswith(("SSH-2.0-", "SSH-1.99-")):
            return {"ssh": text.partition("-")[2].partition("-")[2]}
    raise ProtocolError("not an SSH server")


class SshBanner(Method):
    name = "ssh"
    title = "SSH banner"
    needs = "A connection of the connect scan."
    sends = "Nothing: it reads the server's identification string and closes."

    def ports(self, library: Library) -> frozenset[int]:
        return console_ports(library, "ssh", SSH_PORT)

    async def greet(self, look: Look, address: str, port: int, sock: socket.socket) -> None:
        talk, words = Talk(sock, TALK_S, look.pace.take), b""
        while len(words) < MAX_BANNER and (data := await talk.read(BANNER_S)):
            words += data
            if b"\nSSH-" in b"\n" + words[: words.rfind(b"\n")]:
                break  # lines may come before it, in any pieces (RFC 4253, 4.2)
        try:
            facts = parse_ssh(words)
        except ProtocolError:
            return
        look.sight(address, self.name, ports=str(port), **facts)


class TelnetBanner(Method):
    name = "telnet"
    title = "Telnet banner"
    needs = "A connection of the connect scan."
    sends = "Refusals of the options that the server offers; nothing is typed."

    def ports(self, library: Library) -> frozenset[int]:
        return console_ports(library, "telnet", TELNET_PORT)

    async def greet(self, look: Look, address: str, port: int, sock: socket.socket) -> None:
        options = telnet.Telnet(accept=frozenset())
        talk, words, patience = Talk(sock, TALK_S, look.pace.take), b"", BANNER_S
        try:
            while len(words) < MAX_BANNER and (data := await talk.read(patience)):
                words += options.receive(data)
                await talk.say(options.taken())
                patience = QUIET_S
        except ProtocolError:
            return
        if banner := clean(words.decode("utf-8", "replace"), 200):
            look.sight(address, self.name, ports=str(port), banner=banner)


class TlsNames(Method):
    name = "tls"
    title = "TLS certificate names"
    needs = "A connection of the connect scan."
    sends = "A TLS handshake; the certificate is read, nothing is trusted by it."

    def ports(self, library: Library) -> frozenset[int]:
        return frozenset(TLS_PORTS)

    async def greet(self, look: Look, address: str, port: int, sock: socket.socket) -> None:
        context = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
        context.check_hostname, context.verify_mode = False, ssl.CERT_NONE
        with warnings.catch_warnings():  # that those are old is what is looked for
            warnings.simplefilter("ignore", DeprecationWarning)
            context.minimum_version = ssl.TLSVersion.TLSv1
        context.set_ciphers("ALL:@SECLEVEL=0")
        await look.pace.take()
        try:
            async with asyncio.timeout(BANNER_S):
                # The duplicate belongs to the stream, so that the caller's close stays its own.
                _, writer = await asyncio.open_connection(sock=sock.dup(), ssl=context, server_hostname="")
        except ssl.SSLError as error:
            if error.reason in TOO_OLD:
                look.sight(address, self.name, ports=str(port), tls="older than TLS 1.0", trouble="Its TLS is too old.")
            return
        except (OSError, TimeoutError, ValueError):
            return
        try:
            tls = writer.get_extra_info("ssl_object")
            version = tls.version() or ""
            facts = {"tls": version}
            troubles = [f"It speaks no newer than {version}."] if version in OLD else []
            try:
                facts |= certificate.parse(tls.getpeercert(binary_form=True) or b"")
            except ProtocolError as error:
                troubles.append(f"Its certificate cannot be read: {error.message}.")
            today = datetime.fromtimestamp(look.clock.now(), UTC).strftime("%Y-%m-%d")
            if facts.get("certificate_until", today) < today:
                troubles.append(f"Its certificate ran out on {facts['certificate_until']}.")
            look.sight(address, self.name, ports=str(port), trouble=" ".join(troubles), **facts)
        finally:
            writer.transport.abort()
