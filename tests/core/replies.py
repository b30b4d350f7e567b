"""Whole, sound replies of every decoder of a sweep, and ways to spoil them."""

from __future__ import annotations

import random
from collections.abc import Callable, Iterator
from typing import Any

from netloom_core.links import neighbours
from netloom_core.protocols import (
    arp,
    artnet,
    certificate,
    dhcp,
    dpws,
    icmp,
    modbus,
    onvif,
    pjlink,
    sacn,
    snmp,
    ssdp,
    telnet,
    wsdiscovery,
)
from netloom_core.protocols.osdp import frames, messages
from netloom_core.sweep.methods.banners import parse_ssh

UUID = "6f1c9a5e-0b77-5d3e-9a44-0a4e4c000001"
NODE = artnet.PollReply("127.20.30.11", "mast-1", "Lumenfold N4", "#0001", "2.3", 0x2B41, "7FF0", "node", (17, 18),
                        "0a:1f:04:00:40:01", 1, "7FF0:00004001")  # fmt: skip
SOURCE = sacn.Source(UUID, "Mast node 1", (101, 102, 7000))
SSDP = (
    b"HTTP/1.1 200 OK\r\nLOCATION: http://127.20.20.90:8080/description.xml\r\n"
    b"USN: uuid:" + UUID.encode() + b"::upnp:rootdevice\r\nST: upnp:rootdevice\r\n\r\n"
)
DESCRIPTION = (
    b'<root xmlns="urn:schemas-upnp-org:device-1-0"><device><manufacturer>Farrow</manufacturer><modelName>G40'
    b"</modelName><serialNumber>FS-1</serialNumber><UDN>uuid:" + UUID.encode() + b"</UDN></device></root>"
)
MATCHES = (
    '<s:Envelope xmlns:s="http://www.w3.org/2003/05/soap-envelope" xmlns:d="http://schemas.xmlsoap.org/ws/2005/04/'
    'discovery" xmlns:a="http://schemas.xmlsoap.org/ws/2004/08/addressing"><s:Body><d:ProbeMatches><d:ProbeMatch>'
    f"<a:EndpointReference><a:Address>urn:uuid:{UUID}</a:Address></a:EndpointReference>"
    "<d:Types>dn:NetworkVideoTransmitter</d:Types><d:Scopes>onvif://www.onvif.org/name/Quay%20camera "
    "onvif://www.onvif.org/hardware/C2</d:Scopes><d:XAddrs>http://127.20.40.11/onvif/device_service</d:XAddrs>"
    "</d:ProbeMatch></d:ProbeMatches></s:Body></s:Envelope>"
).encode()
INFORMATION = (
    b'<s:Envelope xmlns:s="http://www.w3.org/2003/05/soap-envelope"><s:Body><GetDeviceInformationResponse xmlns="'
    b'http://www.onvif.org/ver10/device/wsdl"><Manufacturer>Oystercatch</Manufacturer><Model>C2</Model>'
    b"<FirmwareVersion>7.1</FirmwareVersion><SerialNumber>OC-1</SerialNumber></GetDeviceInformationResponse>"
    b"</s:Body></s:Envelope>"
)
IDENTIFIED = bytes((0x2B, 0x0E, 2, 0x82, 0, 0, 3)) + b"\x00\x06Grayle" + b"\x01\x02M4" + b"\x02\x031.3"


def snmp_response(binds: list[tuple[snmp.Oid, Any]], request_id: int = 5) -> bytes:
    from pyasn1.codec.ber import encoder

    v2c = snmp.V2C
    pdu = v2c.GetResponsePDU()
    v2c.apiPDU.set_defaults(pdu)
    v2c.apiPDU.set_request_id(pdu, request_id)
    v2c.apiPDU.set_varbinds(pdu, binds)
    message = v2c.Message()
    v2c.apiMessage.set_defaults(message)
    v2c.apiMessage.set_community(message, "public")
    v2c.apiMessage.set_pdu(message, pdu)
    return bytes(encoder.encode(message))


def self_signed() -> bytes:
    """A certificate in DER, as devices make one for themselves."""
    from datetime import UTC, datetime, timedelta

    from cryptography import x509
    from cryptography.hazmat.primitives.asymmetric import ec
    from cryptography.hazmat.primitives.hashes import SHA256
    from cryptography.hazmat.primitives.serialization import Encoding
    from cryptography.x509.oid import NameOID

    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name(
        [x509.NameAttribute(NameOID.COMMON_NAME, "quay-1"), x509.NameAttribute(NameOID.ORGANIZATION_NAME, "Farrow")]
    )
    now = datetime.now(UTC)
    made = x509.CertificateBuilder(name, name, key.public_key(), x509.random_serial_number(), now, now + timedelta(9))
    made = made.add_extension(x509.SubjectAlternativeName([x509.DNSName("quay-1.local")]), critical=False)
    return made.sign(key, SHA256()).public_bytes(Encoding.DER)


def _telnet(data: bytes) -> bytes:
    return telnet.Telnet(accept=frozenset({telnet.COM_PORT})).receive(data)


def _icmp(data: bytes) -> None:
    icmp.parse_reply(data, b"netloom-12345678", with_header=False)


SYSTEM = snmp_response([(oid, snmp.V2C.OctetString("Switch")) for oid in (snmp.SYS_DESCR, snmp.SYS_NAME)])
CLOCK = (
    b'<s:Envelope xmlns:s="http://www.w3.org/2003/05/soap-envelope"><s:Body><GetSystemDateAndTimeResponse xmlns="'
    b'http://www.onvif.org/ver10/device/wsdl"><SystemDateAndTime><UTCDateTime><Time><Hour>3</Hour><Minute>4</Minute>'
    b"<Second>5</Second></Time><Date><Year>2026</Year><Month>11</Month><Day>26</Day></Date></UTCDateTime>"
    b"</SystemDateAndTime></GetSystemDateAndTimeResponse></s:Body></s:Envelope>"
)
METADATA = (
    b'<s:Envelope xmlns:s="http://www.w3.org/2003/05/soap-envelope"><s:Body><Metadata><MetadataSection><ThisModel>'
    b"<Manufacturer>Farrow</Manufacturer><ModelName>G40</ModelName></ThisModel></MetadataSection><MetadataSection>"
    b"<ThisDevice><FriendlyName>Gate</FriendlyName><SerialNumber>FS-1</SerialNumber></ThisDevice></MetadataSection>"
    b"</Metadata></s:Body></s:Envelope>"
)
OFFER = bytearray(dhcp.question(dhcp.DISCOVER, 7, bytes(6))[:240])
OFFER[0], OFFER[16:20] = dhcp.BOOTREPLY, bytes((10, 77, 0, 100))
OFFER += bytes(
    (53, 1, dhcp.OFFER, 54, 4, 10, 77, 0, 2, 1, 4, 255, 255, 255, 0, 3, 4, 10, 77, 0, 1, 51, 4, 0, 0, 14, 16, 255)
)
ENTRY = (
    neighbours.MESSAGE.pack(2, 3, neighbours.REACHABLE, 0, 1)
    + neighbours.ATTRIBUTE.pack(8, neighbours.NDA_DST) + bytes((10, 77, 0, 9))
    + neighbours.ATTRIBUTE.pack(10, neighbours.NDA_LLADDR) + bytes.fromhex("0050c2000001") + bytes(2)
    + neighbours.ATTRIBUTE.pack(20, neighbours.NDA_CACHEINFO) + bytes(16)
)  # fmt: skip
UNIT = messages.PdId("0A4E4C", 2, 1, 0x00B70E21, "2.4.1")


def _tables(data: bytes) -> object:
    """What is made of the rows of a response, whatever they are."""
    rows = [(oid, value) for oid, value in snmp.parse(data).binds if value is not None]
    return snmp.forwarding(rows), snmp.mac_facts(rows), snmp.entity_facts(rows, {"serial": rows})


DECODERS: dict[str, tuple[Callable[[bytes], Any], bytes]] = {
    "artnet": (artnet.parse_reply, artnet.build_reply(NODE)),
    "sacn": (sacn.parse, sacn.build_discovery(SOURCE)),
    "ssdp": (ssdp.parse_answer, SSDP),
    "upnp description": (ssdp.parse_description, DESCRIPTION),
    "ws-discovery": (wsdiscovery.parse_matches, MATCHES),
    "onvif": (onvif.parse_device_information, INFORMATION),
    "snmp": (snmp.parse, SYSTEM),
    "snmp engine": (snmp.parse_engine, snmp.discovery(7, bytes.fromhex("8000fde7030a3a24000800"))),
    "modbus rtu": (modbus.parse_rtu, modbus.rtu(5, IDENTIFIED)),
    "modbus tcp": (lambda data: modbus.identification(modbus.parse_tcp(data, 1)), modbus.tcp(1, 255, IDENTIFIED)),
    "pjlink greeting": (pjlink.parse_greeting, b"PJLINK 1 0123abcd\r"),
    "pjlink reply": (lambda data: pjlink.parse_reply(data, "%1INF1"), b"%1INF1=Belisar\r"),
    "pjlink search": (pjlink.parse_found, b"%2ACKN=0a:be:55:00:00:01\r"),
    "ssh": (parse_ssh, b"SSH-2.0-Marrowby_4\r\n"),
    "telnet": (_telnet, bytes((255, 253, 44, 255, 250, 44, 101, 0, 0, 37, 128, 255, 240)) + b"login: "),
    "icmp": (_icmp, bytes(8) + b"netloom-12345678"),
    "certificate": (certificate.parse, self_signed()),
    "snmp tables": (_tables, SYSTEM),
    "arp": (arp.parse, arp.request(bytes.fromhex("0a3a24000801"), "10.0.0.1", "10.0.0.9")),
    "dhcp": (dhcp.parse_answer, bytes(OFFER)),
    "onvif time": (onvif.parse_system_date_and_time, CLOCK),
    "dpws": (dpws.parse_metadata, METADATA),
    "osdp frame": (frames.decode, frames.encode(frames.Frame(1, 0x45, UNIT.pack(), 1, reply=True))),
    "osdp identity": (messages.PdId.parse, UNIT.pack()),
    "osdp abilities": (messages.parse_capabilities, bytes((1, 1, 8, 2, 1, 4, 9, 1, 0))),
    "neighbour entry": (lambda data: neighbours._entry(data, 0, 2), ENTRY),
}


def spoiled(good: bytes, count: int, seed: int) -> Iterator[bytes]:
    """Random bytes, and the reply cut, doubled, with bits flipped, bytes put in, taken out and repeated."""
    dice = random.Random(seed)
    for number in range(count):
        data = bytearray(good)
        match number % 8:
            case 0:
                data = bytearray(dice.randbytes(dice.randrange(0, 300)))
            case 1:
                data = data[: dice.randrange(len(data) + 1)]
            case 2:
                data = data + data
            case 3:
                at = dice.randrange(len(data))
                data[at:at] = dice.randbytes(dice.randrange(1, 40))
            case 4:
                at = dice.randrange(len(data))
                del data[at : at + dice.randrange(1, 20)]
            case 5:
                at = dice.randrange(len(data))
                data[at:at] = data[at : at + dice.randrange(1, 30)] * dice.randrange(1, 20)
            case _:
                for _ in range(dice.randrange(1, 6)):
                    data[dice.randrange(len(data))] = dice.randrange(256)
        yield bytes(data)
