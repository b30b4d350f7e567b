"""All sweep methods. A new one is a module and a line here."""

from netloom_core.sweep.base import Method
from netloom_core.sweep.methods.artnet import ArtNetPoll
from netloom_core.sweep.methods.banners import SshBanner, TelnetBanner, TlsNames
from netloom_core.sweep.methods.behind import Behind
from netloom_core.sweep.methods.connect import ConnectScan
from netloom_core.sweep.methods.dhcp import DhcpServers
from netloom_core.sweep.methods.dialogue import Dialogue
from netloom_core.sweep.methods.echo import Echo
from netloom_core.sweep.methods.http import HttpIdentify
from netloom_core.sweep.methods.ipv6 import Ipv6Nodes
from netloom_core.sweep.methods.mdns import MdnsBrowse
from netloom_core.sweep.methods.modbus_rtu import ModbusRtuScan
from netloom_core.sweep.methods.modbus_tcp import ModbusTcp
from netloom_core.sweep.methods.neighbour import NeighbourTable
from netloom_core.sweep.methods.osdp_scan import OsdpScan
from netloom_core.sweep.methods.pjlink import Pjlink
from netloom_core.sweep.methods.rfc2217 import Rfc2217Servers
from netloom_core.sweep.methods.sacn import SacnListen
from netloom_core.sweep.methods.snmp import Snmp
from netloom_core.sweep.methods.ssdp import SsdpSearch
from netloom_core.sweep.methods.talks import TalkIdentify
from netloom_core.sweep.methods.wsdiscovery import WsDiscovery

METHODS: tuple[Method, ...] = (
    ConnectScan(),
    HttpIdentify(),
    MdnsBrowse(),
    SsdpSearch(),
    WsDiscovery(),
    Snmp(),
    ArtNetPoll(),
    SacnListen(),
    Pjlink(),
    ModbusTcp(),
    Rfc2217Servers(),
    SshBanner(),
    TelnetBanner(),
    TalkIdentify(),
    TlsNames(),
    Echo(),
    NeighbourTable(),
    Ipv6Nodes(),
    DhcpServers(),
    OsdpScan(),
    ModbusRtuScan(),
    Dialogue(),
    Behind(),
)
