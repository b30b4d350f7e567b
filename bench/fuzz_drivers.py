"""200,000 random or spoiled replies for each decoder of a driver: typed errors or values, nothing else."""

from __future__ import annotations

import sys
import time
from collections.abc import Callable
from typing import Any

from tests.core import replies

from netloom_core.drivers.dialogue.flow import Answer, Heard
from netloom_core.drivers.dialogue.form import DialogueChannel
from netloom_core.drivers.framed.frames import Check, Framing, Receiver
from netloom_core.drivers.framed.layout import packed, parsed, unpacked
from netloom_core.drivers.http.bodies import decoded, tree
from netloom_core.errors import NetloomError
from netloom_core.protocols import artnet, artnet_rdm, http_auth, modbus, onvif, pjlink, rdm, snmp, snmp_notice
from netloom_core.protocols.osdp import frames, secure

COUNT = 200_000
SHELL = DialogueChannel.model_validate(
    {
        "protocol": "dialogue", "prompt": "> $", "announces": "^!", "errors": [{"pattern": "^NAK"}],
        "more": {"pattern": "more$"},
    }
)  # fmt: skip
FRAMING = Framing(start="02", end="03", check=Check(kind="xor"), stuffed="0203", by="10")
LAYOUT = parsed("a0 u8:_ s16:value text8:name")
SOAP = onvif.request("GetHostname", {"Name": "x"}).replace(b"GetHostname", b"GetHostnameResponse")
EVENT = (
    b"<NotificationMessage><Topic>t:Device/Trigger/Relay</Topic><Message>"
    b'<Source><SimpleItem Name="a" Value="b"/></Source><Data><SimpleItem Name="c" Value="d"/></Data>'
    b"</Message></NotificationMessage>"
)
EVENTS = SOAP.replace(b"GetHostname", b"PullMessages").replace(b"</PullMessagesR", EVENT + b"</PullMessagesR")
SEALED = frames.encode(frames.Frame(4, 0x40, bytes(16), 1, reply=True, block=b"\x18"), lambda data: data[:4])


def talk(data: bytes) -> Any:
    heard = Heard(SHELL)
    heard.feed(data)
    heard.more()
    return heard.answer(Answer("list", "^row"))


def framed(data: bytes) -> Any:
    return [unpacked(LAYOUT, body) for body in Receiver(FRAMING).feed(data)]


def sealed(data: bytes) -> Any:
    frame = frames.decode(data)
    channel = secure.Channel(secure.DEFAULT_KEY, bytes(8))
    return channel.opened(frame.block[0] if frame.block else 0, frame.signed, frame.data, frame.mac)


def registers(data: bytes) -> Any:
    answer = modbus.parse_tcp(data, 7)
    return modbus.words(answer, modbus.READ_HOLDING, 2)


def written(data: bytes) -> None:
    modbus.confirmed(modbus.parse_rtu(data), modbus.write_register(5, b"\0\7"))


def challenge(data: bytes) -> Any:
    found = http_auth.challenges([("www-authenticate", data.decode("latin-1"))])
    return [http_auth.digest(one, "u", "p", "GET", "/") for one in found]


RDM = rdm.pack(rdm.Message(b"\x7f\xf2\0\0\0\1", b"\x7f\xf0\0\0\0\2", 1, 0x21, rdm.LABEL, b"wash"))
INFORM = bytes.fromhex("302902010104067075626c6963a61c02014d0201000201003011300f060a2b060102010202010804020101")
DECODERS: dict[str, tuple[Callable[[bytes], Any], bytes]] = {
    "a talk in lines": (talk, b"list\r\nrow 1 2\r\n!told\r\nrow 2 3\r\n> "),
    "frames": (framed, FRAMING.encoded(packed(LAYOUT, {"value": -5, "name": "Hall"}))),
    "Modbus words": (registers, modbus.tcp(7, 1, bytes((3, 4, 0, 1, 0, 2)))),
    "Modbus writes": (written, modbus.rtu(1, modbus.write_register(5, b"\0\7"))),
    "SNMP notification": (snmp_notice.notice, INFORM),
    "SNMP": (snmp.parse, snmp.get([snmp.SYS_DESCR], "public", 5)),
    "PJLink": (lambda data: pjlink.value_of(data, "%1POWR"), b"%1POWR=1"),
    "Art-Net network": (artnet.parse_ip_prog_reply, artnet.ip_prog()[:8] + b"\x00\xf9" + bytes(24)),
    "RDM": (rdm.parse, RDM),
    "RDM on Art-Net": (artnet_rdm.parse_answer, artnet_rdm.ask(3, RDM)),
    "RDM tables": (artnet_rdm.parse_told, artnet.ID + bytes((0, 0x81, 0, 14)) + bytes(15) + b"\x01" + bytes(6)),
    "RDM search": (rdm.parse_branch_answer, rdm.branch_answer(b"\x7f\xf0\0\0\0\1")),
    "ONVIF": (lambda data: tree(onvif.response(data, "GetHostname")), SOAP),
    "ONVIF events": (lambda data: onvif.notices(onvif.response(data, "PullMessages")), EVENTS),
    "XML": (lambda data: decoded(data, "xml", "it"), b'<u v="1"><n>7</n><o><a>1</a></o></u>'),
    "forms": (lambda data: decoded(data, "form", "it"), b"A=1\nB=two\n"),
    "JSON": (lambda data: decoded(data, "json", "it"), b'{"a": [1, {"b": "c"}]}'),
    "challenges": (challenge, b'Digest realm="r", nonce="n", qop="auth", algorithm=SHA-256'),
    "OSDP secure": (sealed, SEALED),
}


def main() -> None:
    for name, (decode, good) in DECODERS.items():
        begun, refused, slowest = time.perf_counter(), 0, 0.0
        for data in replies.spoiled(good, COUNT, seed=2026):
            at = time.perf_counter()
            try:
                decode(data)
            except NetloomError:
                refused += 1
            slowest = max(slowest, time.perf_counter() - at)
        took = time.perf_counter() - begun
        words = f"{COUNT} replies in {took:5.1f} s, {refused} refused, slowest {slowest * 1000:.1f} ms"
        print(f"fuzz     {name:18} {words}")
        sys.stdout.flush()
