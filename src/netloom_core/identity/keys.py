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
from functools import lru_cache

Makers = Callable[[str], str]

GRADE = {"serial": 1, "rdm": 2, "uuid": 2, "usb": 2, "mac": 3}
_PLACEHOLDER = re.compile(
    r"^(n/?a|none|nil|null|undefined|unknown|invalid|empty|blank|test|tbd"
    r"|not ?(set|specified|available|applicable|used)|default( string)?|factory|o\.?e\.?m\.?"
    r"|to ?be ?(filled|set|determined).*"
    r"|(system|chassis|board|base ?board|product|device|unit|base)?[ _-]*(serial|s/?n)?[ _-]*(number|num|no\.?|id)?)$",
    re.IGNORECASE,
)
# What a counter or a finger makes where no number was written: 0123456789, 12345678, SN000000, 1, AAAA.
_PREFIX = re.compile(r"^(s/?n|ser(ial)?|no|id)?[ ._:#-]*(0x)?(?=[0-9a-fx.*?-]*$)", re.IGNORECASE)
_COUNTED = ("01234567890123456789", "12345678901234567890", "0123456789abcdef", "abcdefghijklmnopqrstuvwxyz")
_BACKWARDS = ("9876543210", "987654321", "87654321", "654321")
COUNTED_FROM = 5  # 1234 may be a unit's own number
# Virtual routers (RFC 9568 clause 7.3) and the bridges of containers: the same at many places.
_VIRTUAL = ("00:00:5e:00:01:", "00:00:5e:00:02:", "02:42:")
_MAC = re.compile(r"^[0-9a-f]{2}(:[0-9a-f]{2}){5}$")
_UUID = re.compile(r"^[0-9a-f]{8}-?([0-9a-f]{4}-?){3}[0-9a-f]{12}$")


def same(name: str) -> str:
    return name


@lru_cache(maxsize=20_000)  # every session asks it again of the same devices
def is_placeholder(serial: str) -> bool:
    """Whether a serial number is what factories write where there is none; it names nobody."""
    text = serial.strip().casefold()
    if _PLACEHOLDER.match(text):
        return True
    bare = re.sub(r"[^0-9a-z*?]", "", _PREFIX.sub("", text, count=1))
    if len(set(bare)) <= 1:
        return True
    counted = bare.lstrip("0") if bare.isdecimal() else bare
    if len(counted) <= 1 or bare in _BACKWARDS:
        return True
    return len(counted) >= COUNTED_FROM and any(run.startswith(counted) for run in _COUNTED)


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
        if _MAC.match(lowered) and not int(lowered[:2], 16) & 1 and not lowered.startswith(_VIRTUAL):
            if lowered == "00:00:00:00:00:00":
                continue
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
