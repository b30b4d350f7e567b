"""Independent servers on the wire: dnsmasq and dhclient, avahi, wsdd, snmpd. None of them is ours."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from tests.laboratory.conftest import mac
from tests.laboratory.wire import Desk, Wire, within
from tests.peers.conftest import peer_environment, program

CONF = """[server]
use-ipv6=yes
enable-dbus=no
[publish]
publish-addresses=yes
publish-workstation=no
publish-hinfo=no
"""
SERVICE = """<?xml version="1.0"?><!DOCTYPE service-group SYSTEM "avahi-service.dtd">
<service-group><name>Scoreboard at gate %d</name><service><type>%s</type><port>%d</port>
<txt-record>serial=SB-%d</txt-record><txt-record>maker=Farrow</txt-record><txt-record>zone=north</txt-record>
</service></service-group>"""


def until(true: Callable[[], bool], seconds: float = 60) -> None:
    end = time.monotonic() + seconds
    while not true():
        assert time.monotonic() < end, "it did not come to that"
        time.sleep(0.1)


def found_at(result: dict[str, Any], address: str) -> dict[str, Any]:
    found: dict[str, Any] = next(one for one in result["found"] if one["address"] == address)
    return found


def lease_server(wire: Wire, name: str, first: int, folder: Path) -> None:
    space = wire.hosts[name].space
    wire.run(
        space, program("dnsmasq"), "--keep-in-foreground", "--conf-file=/dev/null", "--port=0", "--interface=eth0",
        "--bind-interfaces", "--no-ping", f"--dhcp-range=10.77.0.{first},10.77.0.{first + 20},255.255.255.0,1h",
        f"--dhcp-leasefile={folder}/{name}.leases", "--user=root", "--dhcp-authoritative",
        f"--pid-file={folder}/{name}.pid",
    )  # fmt: skip


def lease(wire: Wire, name: str, folder: Path) -> str:
    """The address that a DHCP client gets there."""
    script = folder / "lease.sh"
    script.write_text(
        '#!/bin/sh\n[ -n "$new_ip_address" ] || exit 0\n'
        f"{program('ip')} address flush dev eth0 scope global\n"
        f"{program('ip')} address add $new_ip_address/24 dev eth0\n"
    )
    script.chmod(0o755)
    words = [program("dhclient"), "-1", "-sf", str(script), "-lf", f"{folder}/{name}.lease",
             "-pf", f"{folder}/{name}.dhclient", "-cf", "/dev/null", "-d", "eth0"]  # fmt: skip
    client = within(wire.hosts[name].space, *words, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    try:
        for _ in range(100):
            shown = subprocess.run(
                [program("ip"), "-n", wire.hosts[name].space, "-j", "-4", "address", "show", "dev", "eth0"],
                capture_output=True, env=peer_environment(), check=True,
            )  # fmt: skip
            for link in json.loads(shown.stdout or "[]"):
                for one in link.get("addr_info", []):
                    return str(one["local"])
            time.sleep(0.1)
        raise AssertionError("no lease came")
    finally:
        client.kill()
        client.wait(5)


as_root = pytest.mark.skipif(os.geteuid() != 0, reason="that server starts for root only, so nothing was tried with it")


def answering(desk: Desk, address: str, method: str, methods: list[str]) -> dict[str, Any]:
    """What a sweep finds there once the server has started, which takes its time on a busy computer."""
    for _ in range(12):
        for found in desk.sweep(methods=methods)["found"]:
            if found["address"] == address and method in found["methods"]:
                return dict(found)
    raise AssertionError(f"nobody at {address} answers by {method}")


@as_root
def test_dhcp_servers_are_told_and_a_lease_that_moves_is_followed(wire: Wire, desk: Desk, tmp_path: Path) -> None:
    wire.host("server", mac(1), "10.77.0.2")
    lease_server(wire, "server", 100, tmp_path)
    wire.host("client", mac(2))
    first = lease(wire, "client", tmp_path)
    server = answering(desk, "10.77.0.2", "dhcp", ["neighbour", "dhcp"])
    assert server["facts"]["dhcp_server"] == "yes"
    assert server["facts"]["offers"].startswith("10.77.0.1")
    record = [{"device": "d1", "key": f"mac:{mac(2)}", "address": first}]
    assert found_at(desk.sweep(known=record, methods=["neighbour"]), first)["status"] == "known"

    wire.host("second", mac(3), "10.77.0.3")
    lease_server(wire, "second", 180, tmp_path)
    answering(desk, "10.77.0.3", "dhcp", ["neighbour", "dhcp"])
    notes = desk.sweep(methods=["neighbour", "dhcp"])["methods"]["dhcp"]["notes"]
    assert notes == ["2 DHCP servers answer: 10.77.0.2, 10.77.0.3. Devices may get either's address."]
    wire.pull("server")
    batch_flush(wire, "client")
    (tmp_path / "client.lease").unlink()
    second = lease(wire, "client", tmp_path)
    assert second != first
    moved = found_at(desk.sweep(known=record, methods=["neighbour"]), second)
    assert (moved["device"], moved["status"]) == ("d1", "moved")


def batch_flush(wire: Wire, name: str) -> None:
    subprocess.run(
        [program("ip"), "-n", wire.hosts[name].space, "address", "flush", "dev", "eth0", "scope", "global"],
        env=peer_environment(), check=True,
    )  # fmt: skip


@as_root
def test_service_types_that_no_profile_lists_are_found(wire: Wire, desk: Desk, tmp_path: Path) -> None:
    """avahi with forty services of thirty types: names, types, ports and TXT records are evidence."""
    if not Path("/etc/avahi/services").is_dir():
        pytest.skip("avahi's folder for services is not on this system")
    wire.host("board", mac(1), "10.77.0.10")
    services = tmp_path / "services"
    services.mkdir()
    for n in range(40):
        (services / f"s{n}.service").write_text(SERVICE % (n, f"_board{n % 30}._tcp", 7000 + n, 5000))
    (tmp_path / "avahi.conf").write_text(CONF)
    start = f"mount --bind {services} /etc/avahi/services && exec {program('avahi-daemon')} --no-drop-root --no-chroot -f {tmp_path}/avahi.conf"  # noqa: E501
    start = f"mount -t tmpfs tmpfs /run && {start}"
    log = tmp_path / "avahi.log"
    wire.run(wire.hosts["board"].space, "unshare", "--mount", "sh", "-c", f"{start} 2> {log}")
    until(lambda: log.exists() and log.read_text().count("successfully established") == 40)
    for _ in range(4):  # a busy computer may lose one of forty answers
        result = desk.sweep(methods=["neighbour", "mdns"])
        board = found_at(result, "10.77.0.10")
        if board["facts"].get("services_count") == "40":
            break
    assert (board["serial"], board["facts"]["maker"]) == ("SB-5000", "Farrow")
    assert board["facts"]["services_count"] == "40"
    assert board["facts"]["instance"].startswith("Scoreboard at gate ")
    assert "zone=north" in board["facts"]["txt"]
    assert "_board0._tcp:7000 _board0._tcp:7030 _board1._tcp:7001" in board["facts"]["services"]
    assert board["facts"]["ipv6"].startswith("fe80::"), "what is told over IPv6 is the same device"
    assert len([one for one in result["found"] if "SB-5000" in one["serial"]]) == 1


def test_a_responder_that_answers_probes_for_devices_only(wire: Wire, desk: Desk, tmp_path: Path) -> None:
    wire.host("share", mac(1), "10.77.0.10")
    wire.run(wire.hosts["share"].space, sys.executable, program("wsdd"), "-4", "-i", "eth0", "-n", "gatehouse")
    found = answering(desk, "10.77.0.10", "dpws", ["neighbour", "ws-discovery"])
    assert "ws-discovery" in found["methods"]
    assert "Device" in found["facts"]["types"]
    assert any(key.startswith("uuid:") for key in found["keys"])
    assert "gatehouse" in found["facts"].get("title", "").lower(), "by its metadata"


def test_what_an_agent_tells_of_its_interfaces_is_what_arp_shows(wire: Wire, desk: Desk, tmp_path: Path) -> None:
    wire.host("rack", mac(1), "10.77.0.10")
    (tmp_path / "snmpd.conf").write_text("rocommunity public\nsysName rack-1\nagentAddress udp:10.77.0.10:161\n")
    wire.run(wire.hosts["rack"].space, program("snmpd"), "-f", "-Lf", f"{tmp_path}/snmpd.log", "-C", "-c",
             f"{tmp_path}/snmpd.conf", f"--persistentDir={tmp_path}")  # fmt: skip
    found = answering(desk, "10.77.0.10", "snmp", ["neighbour", "snmp"])
    assert found["facts"]["host"] == "rack-1"
    assert found["keys"] == [f"mac:{mac(1)}"]


def test_a_gateway_s_description_by_upnp_is_followed(wire: Wire, desk: Desk, tmp_path: Path) -> None:
    wire.host("gateway", mac(1), "10.77.0.10")
    uuid = "4c1e0a52-7a3f-4c6e-9d61-0a1b2c3d4e5f"
    (tmp_path / "gateway.conf").write_text(
        "ext_ifname=lo\nlistening_ip=eth0\nhttp_port=5040\n"
        "enable_natpmp=no\nenable_upnp=yes\nnotify_interval=60\n"
        f"uuid={uuid}\nserial=GW-2207\nfriendly_name=Pier gateway\nmanufacturer_name=Farrow\nmodel_name=Uplink 4\n"
        "allow 1024-65535 10.77.0.0/24 1024-65535\n"
    )
    wire.run(wire.hosts["gateway"].space, program("miniupnpd"), "-d", "-4", "-f", str(tmp_path / "gateway.conf"),
             "-P", str(tmp_path / "gateway.pid"))  # fmt: skip
    found = answering(desk, "10.77.0.10", "ssdp", ["neighbour", "ssdp"])
    assert f"uuid:{uuid.replace('-', '')}" in found["keys"], "of its several devices the outermost"
    assert found["facts"]["title"] == "Pier gateway"
    assert found["serial"] == "GW-2207"
    assert (found["facts"]["maker"], found["facts"]["model"]) == ("Farrow", "Uplink 4")
