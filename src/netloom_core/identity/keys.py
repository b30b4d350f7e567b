"""Keys: the facts that name a device, in one form, with grades. The one place that makes them. Pure.

    1  maker and serial number       a device has one; two that differ are two devices
    2  RDM UID, UUID, USB serial     may be several on one device
    3  MAC address                   one for each interface; cloned ones exist

What is of a higher grade is never overruled. A maker's name goes through `Makers` first, since
one maker is written in several ways (profiles list them).
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping

Makers = Callable[[str], str]

GRADE = {"serial": 1, "rdm": 2, "uuid": 2, "usb": 2, "mac": 3}
_PLACEHOLDER = re.compile(
    r"^(0+|f+|-+|\.+|x+|n/?a|null|none|nil|unknown|not ?set|not ?specified|default|sn?0+"
    r"|(system |chassis |board )?serial ?(number|no\.?)?|to be filled.*|0?12345678?9?0?|0+1|1)$",
    re.IGNORECASE,
)
_MAC = re.compile(r"^[0-9a-f]{2}(:[0-9a-f]{2}){5}$")
_UUID = re.compile(r"^[0-9a-f]{8}-?([0-9a-f]{4}-?){3}[0-9a-f]{12}$")


def same(name: str) -> str:
    return name


def is_placeholder(serial: str) -> bool:
    """Whether a serial number is what factories write where there is none; it names nobody."""
    return bool(_PLACEHOLDER.match(serial.strip()))


def serial_key(maker: str, serial: str, makers: Makers = same) -> str:
    """`maker|serial`, folded; empty where one is missing or the serial number is a placeholder."""
    maker, serial = makers(maker.strip()), serial.strip()
    return f"{maker.casefold()}|{serial.casefold()}" if maker and serial and not is_placeholder(serial) else ""


def keys_of(facts: Mapping[str, str], makers: Makers = same) -> list[tuple[str, str]]:
    """(kind, key) of every fact that names a device; placeholders and broken ones are left out."""
    found = []
    if key := serial_key(facts.get("maker", ""), facts.get("serial", ""), makers):
        found.append(("serial", key))
    if uid := facts.get("rdm_uid", "").lower():
        found.append(("rdm", f"rdm:{uid}"))
    uuid = facts.get("uuid", "").lower()
    if _UUID.match(uuid) and len(set(uuid) - {"-"}) > 1:
        found.append(("uuid", f"uuid:{uuid.replace('-', '')}"))
    if usb := facts.get("usb_serial", "").lower():
        found.append(("usb", f"usb:{usb}"))
    for mac in dict.fromkeys([facts.get("mac", ""), *facts.get("macs", "").split()]):
        lowered = mac.lower().replace("-", ":")
        if _MAC.match(lowered) and not int(lowered[:2], 16) & 1 and lowered != "00:00:00:00:00:00":
            found.append(("mac", f"mac:{lowered}"))
    return found


def kind_of(key: str) -> str:
    head = key.partition(":")[0]
    return head if head in GRADE and "|" not in head else "serial"


def best_key(keys: Iterable[str]) -> str:
    """The one of highest grade; what the record is told apart by."""
    return min(keys, key=lambda key: (GRADE[kind_of(key)], key), default="")


def serial_part(key: str) -> str:
    return key.rpartition("|")[2]
