"""All sweep methods. A new one is a module and a line here."""

from netloom_core.sweep.base import Method
from netloom_core.sweep.connect import ConnectScan
from netloom_core.sweep.mdns import MdnsBrowse
from netloom_core.sweep.osdp_scan import OsdpScan

METHODS: tuple[Method, ...] = (ConnectScan(), MdnsBrowse(), OsdpScan())
