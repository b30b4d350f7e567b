"""Services by the names used in the site's data."""

from netloom_standins.services.base import Service
from netloom_standins.services.discovery import ArtNetNode, PjlinkSearch, SacnSource, SsdpAnswer, WsAnswer
from netloom_standins.services.snmp import SnmpAgent
from netloom_standins.services.ssh import SshShell
from netloom_standins.services.talks import (
    DeviceServer,
    ModbusServer,
    PjlinkDisplay,
    TelnetShell,
    WebPage,
)

SERVICES: dict[str, type[Service]] = {
    "snmp": SnmpAgent,
    "ssdp": SsdpAnswer,
    "ws-discovery": WsAnswer,
    "artnet": ArtNetNode,
    "sacn": SacnSource,
    "pjlink": PjlinkDisplay,
    "pjlink-search": PjlinkSearch,
    "ssh": SshShell,
    "telnet": TelnetShell,
    "modbus": ModbusServer,
    "page": WebPage,
    "device-server": DeviceServer,
}
