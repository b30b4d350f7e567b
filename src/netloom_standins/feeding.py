"""Power over the cable: what hangs on a port of a switch is off while the port gives none.

A site says who is where in a switch's `answers: {snmp: {table: {mac: port}}}`, or by a device's own `switch`.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import Any

PORT = re.compile(r"^/ports/(\d+)/power$")


class Feeding:
    def __init__(self, site: dict[str, Any], units: Iterable[Any]) -> None:
        all_units = list(units)
        by_name = {unit.name: unit for unit in all_units}
        by_mac = {one["mac"]: by_name.get(one["name"]) for one in site["devices"] if one.get("mac")}
        self._fed: dict[tuple[str, int], Any] = {}
        for unit in all_units:
            table = (getattr(unit, "answers", {}).get("snmp") or {}).get("table", {})
            for mac, port in table.items():
                if by_mac.get(mac) is not None:
                    self._fed[unit.name, int(port)] = by_mac[mac]
        for one in site["devices"]:
            if (place := one.get("switch")) and by_name.get(one["name"]) is not None:
                self._fed[place["device"], int(place["port"])] = by_name[one["name"]]
        for name in {switch for switch, _ in self._fed}:
            memory = getattr(by_name.get(name), "memory", None)
            if memory is not None:
                memory.changed.append(lambda path, value, name=name: self._told(name, path, value))

    def _told(self, switch: str, path: str, value: Any) -> None:
        found = PORT.match(path)
        unit = self._fed.get((switch, int(found[1]))) if found else None
        if unit is not None and value != "on" and unit.up:
            unit.power_off()
        elif unit is not None and value == "on" and not unit.up:
            unit.power_on()
