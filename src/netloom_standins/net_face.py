"""What a unit on a network is known by: its address, MAC, UUID, names, and what it says of itself."""

from __future__ import annotations

import hashlib
import uuid
from dataclasses import dataclass, field
from typing import Any

from netloom_core.documents.tree import get
from netloom_standins.units import Unit

LOCAL_PREFIX = "0a:4e:4c"


@dataclass
class NetFace(Unit):
    """`model_reported` and `mac_reported` are what it says where that is not what its label says."""

    address: str = ""
    up: bool = False
    model_reported: str = ""
    mac_reported: str = ""
    answers: dict[str, dict[str, Any]] = field(default_factory=dict)

    @property
    def mac(self) -> str:
        if self.mac_reported:
            return self.mac_reported
        prefix = (self.profile.mac_prefixes or [LOCAL_PREFIX])[0]
        number = int.from_bytes(hashlib.sha256(self.serial.encode()).digest()[:3], "big")
        return prefix + ":" + ":".join(f"{(number >> shift) & 0xFF:02x}" for shift in (16, 8, 0))

    @property
    def uuid(self) -> str:
        return str(uuid.uuid5(uuid.NAMESPACE_OID, f"{self.profile.id} {self.serial}"))

    @property
    def host(self) -> str:
        name = get(self.running, "/name")
        text = name if isinstance(name, str) and name else self.name or self.serial
        return text.lower().replace(" ", "-")

    @property
    def reported_model(self) -> str:
        return self.model_reported or self.profile.model

    def where(self) -> str:
        return self.address
