"""A best guess at what an unknown device is, with what it rests on. Pure; never used to join records."""

from __future__ import annotations

from netloom_core.library.load import Library

# What a fact speaks for, the surest first.
_BY_FACT = (
    ("types", "NetworkVideoTransmitter", "a network camera", "it answers WS-Discovery as a video transmitter"),
    ("style", "", "a lighting network node", "it answers Art-Net"),
    ("sends_universes", "", "a lighting source", "it sends sACN"),
    ("device_server", "", "a serial device server", "it offers the Telnet COM port option"),
    ("gateway", "Modbus", "a Modbus gateway", "units answer behind it"),
    ("product_code", "", "a Modbus device", "it identifies itself over Modbus"),
    ("noise", "", "something at another speed or with wrong levels", "bytes come that make no sense"),
    ("engine", "", "a managed network device", "it runs an SNMP engine"),
    ("object", "", "a managed network device", "it answers SNMP"),
    ("dhcp_server", "yes", "a router or a server", "it gives addresses by DHCP"),
    ("osdp_inputs", "", "a unit of an access control bus", "it answers OSDP"),
    ("ssh", "", "a computer or a managed device", "it runs an SSH server"),
    ("prompt", "", "a device with a login on its serial port", "it asks for a login"),
    ("services", "", "a device with network services", "it announces them by mDNS"),
    ("types", "Device", "a device with web services", "it answers WS-Discovery"),
    ("banner", "", "a device with a text console", "it greets in text"),
)
_BY_PORT = {
    "4352": ("a display or projector", "it listens on the PJLink port"),
    "554": ("a camera or an encoder", "it listens on the RTSP port"),
    "502": ("a Modbus device", "it listens on the Modbus port"),
    "5900": ("a computer", "it listens on the remote screen port"),
    "443": ("a device with a web page", "it listens on the HTTPS port"),
    "80": ("a device with a web page", "it listens on the HTTP port"),
    "8080": ("a device with a web page", "it listens on a web port"),
}


def guess(facts: dict[str, str], library: Library) -> str:
    """One sentence; empty where nothing speaks for anything."""
    maker = facts.get("maker") or facts.get("mac_maker") or library.maker_of_mac(facts.get("mac", ""))
    by = f" by {maker}" if maker else ""
    model = f", model {facts['model']}" if facts.get("model") else ""
    for fact, value, what, why in _BY_FACT:
        if facts.get(fact) and value in facts[fact]:
            return f"Perhaps {what}{by}{model}: {why}."
    for port, (what, why) in _BY_PORT.items():
        if port in facts.get("ports", "").split():
            return f"Perhaps {what}{by}{model}: {why}."
    if maker:
        return f"Perhaps a device{by}{model}: {'it says so' if facts.get('maker') else 'its MAC prefix is theirs'}."
    return "Somebody answers an ICMP echo and tells no more." if facts.get("echo") else ""
