"""Profiles of what a standard alone gives, for devices of which no file in the library knows the model.

They are made from what the device tells, and their id says from what, so that a record that names one
finds it again. A model's own profile, once there is one, comes before.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from functools import lru_cache

from netloom_core.drivers import forms  # noqa: F401 - the forms of all protocols register themselves
from netloom_core.profiles.profile import Profile

PREFIX = "standard-"
OSDP = re.compile(r"^standard-osdp-(\d{1,2})-inputs-(\d{1,2})-outputs$")
MOST = 64  # of inputs, and of outputs: IEC 60839-11-5 counts more, but no unit has them
SPEEDS = (9600, 19200, 38400, 57600, 115200, 230400)


# What a device is by the standard that it answers, for one of which nobody knows the model; the surest first.
KINDS = (
    ("onvif", "network camera"), ("pjlink", "display or projector"), ("artnet", "lighting network node"),
    ("rdm", "lighting unit"),
    ("modbus-tcp", "Modbus unit"), ("modbus", "Modbus unit"), ("osdp", "OSDP unit"),
    ("rfc2217", "serial device server"), ("snmp", "managed network device"), ("dpws", "device with web services"),
    ("ssdp", "UPnP device"), ("mdns", "device with network services"),
)  # fmt: skip


def kind_by(methods: Iterable[str]) -> str:
    """A word for it on its face; empty where no standard says what it is."""
    saw = set(methods)
    return next((kind for method, kind in KINDS if method in saw), "")


def is_standard(ident: str) -> bool:
    return ident.startswith(PREFIX)


def of(facts: Mapping[str, str]) -> Profile | None:
    """What the facts of a device allow by a standard; None where no standard says enough."""
    if facts.get("vendor") and facts.get("osdp_inputs", "").isdecimal() and facts.get("osdp_outputs", "").isdecimal():
        inputs, outputs = (min(int(facts[name]), MOST) for name in ("osdp_inputs", "osdp_outputs"))
        return osdp(inputs, outputs)
    return None


def by_id(ident: str) -> Profile | None:
    found = OSDP.match(ident)
    if found is None or any(int(number) > MOST for number in found.groups()):
        return None
    return osdp(int(found[1]), int(found[2]))


@lru_cache(256)
def osdp(inputs: int, outputs: int) -> Profile:
    """Any unit of IEC 60839-11-5: address and speed by COMSET, outputs, inputs, tamper and power by their statuses."""
    options = [{"value": speed, "label": str(speed)} for speed in SPEEDS]
    place = {"kept": "always", "disturbs": ["link"]}
    two = {"use": ["live"], "kind": "input"}
    items: list[dict[str, object]] = [
        {"path": "/bus/address", "label": "Address", "type": {"is": "integer", "maximum": 126}, "role": "address",
         **place},
        {"path": "/bus/speed", "label": "Speed", "type": {"is": "choice", "unit": "baud", "options": options},
         "default": 9600, "role": "speed", **place},
    ]  # fmt: skip
    if outputs:
        items.append(
            {"path": "/relays/{relay}/state", "point": "relay-{relay}", "kind": "relay", "label": "Output {relay}",
             "type": _states("off", "on"), "use": ["live", "driven"], "bind": {"bus": {"output": 0}}}
        )  # fmt: skip
    if inputs:
        items.append({"path": "/inputs/{input}/state", "point": "input-{input}", "label": "Input {input}",
                      "type": _states("off", "on"), "bind": {"bus": {"input": 0}}, **two})  # fmt: skip
    for local, bad in (("tamper", "tampered"), ("power", "failed")):
        items.append({"path": f"/{local}", "kind": local, "label": local.capitalize(), "use": ["live"],
                      "type": _states("normal", bad), "bind": {"bus": {"local": local}}})  # fmt: skip
    return Profile.model_validate(
        {
            "format": 2,
            "id": f"{PREFIX}osdp-{inputs}-inputs-{outputs}-outputs",
            "maker": "",
            "model": "OSDP unit",
            "kind": "OSDP unit, known by the standard alone",
            "channels": {"bus": {"protocol": "osdp"}},
            "axes": {**({"relay": outputs} if outputs else {}), **({"input": inputs} if inputs else {})},
            "items": items,
        }
    )


def _states(rest: str, other: str) -> dict[str, object]:
    return {"is": "choice", "options": [{"value": word, "label": word.capitalize()} for word in (rest, other)]}
