"""Whole, sound replies of every decoder of a sweep, and ways to spoil them."""

from __future__ import annotations

import random
from collections.abc import Callable, Iterator
from typing import Any

from netloom_core.protocols import (
    artnet,
    certificate,
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
