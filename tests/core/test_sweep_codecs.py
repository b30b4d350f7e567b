"""The decoders of a sweep: what they make of sound replies, and that no others hurt."""

from __future__ import annotations

import base64
from dataclasses import replace

import pytest

from netloom_core.errors import NetloomError, ProtocolError, WrongCredentials
from netloom_core.identity.keys import keys_of
from netloom_core.protocols import (
    arp,
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
from netloom_core.protocols.framing import Framing
from netloom_core.protocols.xml import parse
from tests.core import replies

SPOILED = 1200  # of each; bench/fuzz.py makes 100,000


@pytest.mark.parametrize("name", replies.DECODERS)
def test_spoiled_replies_give_typed_errors_or_values(name: str) -> None:
    decode, good = replies.DECODERS[name]
    decode(good)
    for data in replies.spoiled(good, SPOILED, seed=len(name)):
        try:
            decode(data)
        except NetloomError:
            continue


# Art-Net and sACN: offsets as in the tables of their standards


def test_an_artnet_node_and_back() -> None:
    reply = artnet.parse_reply(artnet.build_reply(replies.NODE))
    assert (reply.net, reply.subnet, [port.universe for port in reply.ports]) == (0, 1, [1, 2])
    assert replace(reply, subnet=0, ports=()) == replies.NODE
    assert reply.facts()["universes"] == "17 18"
    assert artnet.poll()[:12] == b"Art-Net\x00\x00\x20\x00\x0e"


def test_an_old_node_without_the_later_fields() -> None:
    old = artnet.parse_reply(artnet.build_reply(replies.NODE)[: artnet.MIN_REPLY])
    assert (old.mac, old.rdm_uid, old.bind_index) == ("0a:1f:04:00:40:01", "", 0)


def test_sacn_sources_by_discovery_and_by_data() -> None:
    assert sacn.parse(sacn.build_discovery(replies.SOURCE)) == replies.SOURCE
    data = bytearray(126)
    data[:16] = sacn.ROOT
    data[18:22], data[40:44] = (4).to_bytes(4, "big"), (2).to_bytes(4, "big")
    data[44:48], data[113:115] = b"desk", (101).to_bytes(2, "big")
    assert sacn.parse(bytes(data)).universes == (101,)
    assert sacn.group(64214) == "239.255.250.214"


# Searches


def test_ssdp() -> None:
    headers = ssdp.parse_answer(replies.SSDP)
    assert ssdp.uuid_of(headers) == replies.UUID
    assert ssdp.parse_description(replies.DESCRIPTION)["maker"] == "Farrow"
    assert b'MAN: "ssdp:discover"\r\nMX: 2\r\n' in ssdp.search(2)


def test_ws_discovery_reads_both_namespaces() -> None:
    [match] = wsdiscovery.parse_matches(replies.MATCHES)
    assert match.facts() == {"uuid": replies.UUID, "types": "NetworkVideoTransmitter", "title": "Quay camera",
                             "hardware": "C2"}  # fmt: skip
    newer = replies.MATCHES.replace(
        b"http://schemas.xmlsoap.org/ws/2005/04/discovery", b"http://docs.oasis-open.org/ws-dd/ns/discovery/2009/01"
    )
    assert wsdiscovery.parse_matches(newer) == [match]
    for kind in wsdiscovery.TYPES:
        parse(wsdiscovery.probe(kind, replies.UUID))
    parse(wsdiscovery.resolve("urn:uuid:<&>", replies.UUID))


def test_onvif_tokens_and_refusals() -> None:
    nonce = base64.b64decode("LKqI6G/AikKCQrN0zqZFlg==")
    digest = onvif.password_digest(nonce, "2010-09-16T07:50:45Z", "userpassword")
    assert digest == "tuOSpGlFlIXsozq4HFNeeGeFLEI=", "the example of ONVIF's application guide, clause 6.1.1.3"
    assert onvif.parse_device_information(replies.INFORMATION)["serial"] == "OC-1"
    refusal = b"<s:Envelope xmlns:s='x'><s:Fault><s:Value>ter:NotAuthorized</s:Value></s:Fault></s:Envelope>"
    with pytest.raises(WrongCredentials):
        onvif.parse_device_information(refusal)


@pytest.mark.parametrize(
    "bomb",
    [
        b'<!DOCTYPE a [<!ENTITY b "bb"><!ENTITY c "&b;&b;">]><a>&c;</a>',
        b'<!DOCTYPE a SYSTEM "file:///etc/passwd"><a/>',
        b"<a>" * 30_000,
        b"<a>" + b"x" * 300_000 + b"</a>",
    ],
)
def test_xml_bombs_are_refused(bomb: bytes) -> None:
    with pytest.raises(ProtocolError):
        parse(bomb)


# Modbus: the CRC of the serial line guide, the frames of the application protocol


def test_modbus_frames() -> None:
    assert modbus.rtu(2, bytes((7,))).hex() == "02074112", "appendix B's example"
    answer = modbus.parse_rtu(modbus.rtu(5, replies.IDENTIFIED))
    assert modbus.identification(answer) == {"maker": "Grayle", "product_code": "M4", "firmware": "1.3", "model": "M4"}
    busy = modbus.parse_rtu(modbus.rtu(5, bytes((0xAB, 6))))
    assert modbus.EXCEPTIONS[busy.exception] == "busy"
    assert modbus.registers(modbus.parse_tcp(modbus.tcp(3, 1, b"\x03\x02GM"), 3)) == b"GM"


@pytest.mark.parametrize("size", range(1, 20))
def test_the_length_of_a_frame_is_told_by_its_beginning(size: int) -> None:
    whole = modbus.rtu(5, replies.IDENTIFIED)
    assert size < modbus.rtu_length(whole[:size]) <= len(whole), "never so short that the rest would be lost"
    assert modbus.rtu_length(whole) == len(whole)


def test_two_units_at_once_are_no_frame() -> None:
    one = modbus.rtu(5, replies.IDENTIFIED)
    other = modbus.rtu(5, replies.IDENTIFIED.replace(b"1.3", b"1.4"))
    with pytest.raises(ProtocolError, match="CRC"):
        modbus.parse_rtu(bytes(a & b for a, b in zip(one, other, strict=True)))


# PJLink


def test_pjlink_greetings_replies_and_the_digest() -> None:
    assert pjlink.parse_greeting(b"PJLINK 0\r") is None
    assert pjlink.parse_greeting(b"PJLINK 1 498e4a67\r") == "498e4a67"
    assert pjlink.answer_to("498e4a67", "JBMIAProjectorLink") == b"5d8409bc1c3fa39749434aa3a5c38682", "clause 5.1"
    assert pjlink.parse_reply(b"%1INF1=Belisar\r", "%1INF1") == "Belisar"
    assert pjlink.parse_reply(b"%2SNUM=ERR1\r", "%2SNUM") == ""
    with pytest.raises(WrongCredentials):
        pjlink.parse_reply(b"PJLINK ERRA\r", "%1INF1")
    assert pjlink.parse_found(b"%2ACKN=0A:BE:55:00:00:01\r") == "0a:be:55:00:00:01"


# SNMP


def test_snmp_facts() -> None:
    v2c = snmp.V2C
    response = snmp.parse(
        replies.snmp_response(
            [
                ((*snmp.IF_MAC, 1), v2c.OctetString(b"")),
                ((*snmp.IF_MAC, 2), v2c.OctetString(bytes.fromhex("0a3a24000801"))),
                (snmp.SYS_DESCR, v2c.NoSuchObject("")),
            ]
        )
    )
    mac = "0a:3a:24:00:08:01"
    assert snmp.mac_facts(snmp.column(response, snmp.IF_MAC)) == {"mac": mac, "macs": mac}
    assert snmp.system_facts(response) == {}
    with pytest.raises(ProtocolError):
        snmp.parse(snmp.get(snmp.SYSTEM, "public", 1))


@pytest.mark.parametrize(
    ("classes", "serials", "named"),
    [
        ({1: 3, 7: 10}, {1: b"MS-24008", 7: b"SFP-1"}, "MS-24008"),
        ({1: 3, 7: 10}, {7: b"SFP-1"}, ""),  # a transceiver's serial number is not the switch's
        ({7: 10}, {7: b"SFP-1"}, ""),
        ({1: 11, 2: 3, 3: 3}, {2: b"MS-1", 3: b"MS-2"}, "MS-1"),  # a stack
        ({}, {1: b"MS-24008"}, "MS-24008"),
        ({}, {1: b"MS-24008", 2: b"SFP-1"}, ""),
    ],
)
def test_only_the_chassis_names_a_device(classes: dict[int, int], serials: dict[int, bytes], named: str) -> None:
    """RFC 6933, PhysicalClass: 3 chassis, 10 port, 11 stack."""
    rows = [((index,), value) for index, value in serials.items()]
    facts = snmp.entity_facts([((index,), kind) for index, kind in classes.items()], {"serial": rows})
    assert facts.get("serial", "") == named


def test_a_forwarding_table_with_and_without_vlans() -> None:
    mac = (0, 0x50, 0xC2, 0, 0, 7)
    assert snmp.forwarding([((*mac,), 3), ((12, *mac), 4), ((1, 2), 5), ((*mac,), 0)]) == [
        ("00:50:c2:00:00:07", 3),
        ("00:50:c2:00:00:07", 4),
    ]


def test_an_engine_id_may_be_made_of_a_mac() -> None:
    """RFC 3411: enterprise with the first bit set, format 3 is a MAC address. It names nobody: images are cloned."""
    engine = bytes.fromhex("8000fde703") + bytes.fromhex("0a3a24000800")
    facts = snmp.engine_facts(engine)
    assert facts == {"engine": engine.hex(), "enterprise": "64999", "engine_mac": "0a:3a:24:00:08:00"}
    assert keys_of(facts) == []


def test_arp_packets() -> None:
    """RFC 826: a question as it is sent, and answers with and without the padding of Ethernet."""
    packet = arp.request(bytes.fromhex("0a3a24000801"), "10.0.0.1", "10.0.0.9")
    assert packet.hex() == "0001080006040001" + "0a3a24000801" + "0a000001" + "000000000000" + "0a000009"
    assert arp.parse(packet + bytes(18)) == arp.Arp(1, "0a:3a:24:00:08:01", "10.0.0.1", "10.0.0.9")
    strange = packet[:7] + b"\x09" + packet[8:]
    of_a_group = packet[:8] + b"\xff" * 6 + packet[14:]
    for wrong in (b"", packet[:27], b"\0" * 28, strange, of_a_group):
        with pytest.raises(ProtocolError):
            arp.parse(wrong)


# Telnet and the COM port option


def test_telnet_answers_each_offer_once() -> None:
    talk = telnet.Telnet(accept=frozenset({telnet.ECHO}))
    offer = bytes((telnet.IAC, telnet.WILL, telnet.ECHO, telnet.IAC, telnet.DO, telnet.COM_PORT))
    assert talk.receive(offer + b"login" + offer) == b"login"
    assert talk.taken() == bytes((telnet.IAC, telnet.DO, telnet.ECHO, telnet.IAC, telnet.WONT, telnet.COM_PORT))
    assert (talk.theirs, talk.ours) == ({telnet.ECHO}, set())
    talk.receive(bytes((telnet.IAC, telnet.DONT, telnet.COM_PORT)))
    assert talk.denied == {telnet.COM_PORT}


def test_telnet_split_anywhere_is_the_same() -> None:
    whole = bytes((telnet.IAC, telnet.SB, 44, 101, 0, 0, 37, 128, telnet.IAC, telnet.SE)) + b"A\xff\xffB"
    for cut in range(len(whole)):
        talk = telnet.Telnet(accept=frozenset({44}))
        assert talk.receive(whole[:cut]) + talk.receive(whole[cut:]) == b"A\xffB"
        assert talk.subs == [(44, bytes((101, 0, 0, 37, 128)))]


def test_a_subnegotiation_without_end_is_given_up() -> None:
    talk = telnet.Telnet()
    with pytest.raises(ProtocolError):
        talk.receive(bytes((telnet.IAC, telnet.SB, 44)) + b"x" * 5000)


# The rest


def test_echo_requests_have_the_internet_checksum() -> None:
    sent = icmp.echo(1, 1, b"netloom-12345678")
    assert icmp.checksum(sent) == 0
    icmp.parse_reply(b"\x00" + sent[1:], b"netloom-12345678", with_header=False)
    with pytest.raises(ProtocolError):
        icmp.parse_reply(b"\x00" + sent[1:], b"netloom-other000", with_header=False)


def test_names_of_a_certificate() -> None:
    facts = certificate.parse(replies.self_signed())
    assert (facts["certificate_name"], facts["certificate_names"]) == ("quay-1", "quay-1.local")


@pytest.mark.parametrize(
    ("word", "flow", "bodies"),
    [
        ("N", "none", [b"\x01\x00\x00\x25\x80", b"\x02\x08", b"\x03\x01", b"\x04\x01", b"\x05\x01"]),
        ("7E1", "software", [b"\x01\x00\x00\x25\x80", b"\x02\x07", b"\x03\x03", b"\x04\x01", b"\x05\x02"]),
        ("8O2", "hardware", [b"\x01\x00\x00\x25\x80", b"\x02\x08", b"\x03\x02", b"\x04\x02", b"\x05\x03"]),
    ],
)
def test_a_far_port_is_told_its_framing(word: str, flow: str, bodies: list[bytes]) -> None:
    """RFC 2217 clause 3: data size, parity, stop size and flow control by their codes."""
    assert telnet.line_settings(9600, Framing.of(word, flow)) == bodies


@pytest.mark.parametrize(
    ("word", "flow"), [("9N1", "none"), ("8X1", "none"), ("8N3", "none"), ("", "none"), ("8N1", "x")]
)
def test_what_is_no_framing_is_refused(word: str, flow: str) -> None:
    with pytest.raises(ValueError, match="framing"):
        Framing.of(word, flow)
