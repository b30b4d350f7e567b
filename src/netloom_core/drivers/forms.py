"""The forms of all protocols: importing this is what makes profiles able to name them."""

from netloom_core.drivers import found
from netloom_core.drivers.artnet import form as artnet
from netloom_core.drivers.dialogue import form as dialogue
from netloom_core.drivers.framed import form as framed
from netloom_core.drivers.http import form as http
from netloom_core.drivers.modbus import form as modbus
from netloom_core.drivers.onvif import form as onvif
from netloom_core.drivers.osdp import form as osdp
from netloom_core.drivers.pjlink import form as pjlink
from netloom_core.drivers.rdm import form as rdm
from netloom_core.drivers.snmp import form as snmp

FORMS = (artnet, http, osdp, dialogue, modbus, snmp, pjlink, onvif, framed, rdm, found)
