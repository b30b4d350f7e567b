"""Profiles that chance makes: types, sets, axes and bindings in any mixture that the form allows."""

from __future__ import annotations

import random
import string
from typing import Any

Data = dict[str, Any]
WAYS = ("dialogue", "http", "modbus", "snmp", "framed", "rdm")
WORD = string.ascii_letters + string.digits
TYPES = {
    "dialogue": ("text", "integer", "decimal", "boolean", "choice", "ipv4", "time", "mac"),
    "http": ("text", "integer", "decimal", "boolean", "choice", "ipv4", "time", "mac"),
    "modbus": ("text", "integer", "decimal", "boolean", "choice"),
    "snmp": ("text", "integer", "decimal", "boolean", "choice", "ipv4"),
    "framed": ("text", "integer", "decimal", "choice"),
    "rdm": ("text", "integer", "decimal", "choice"),
}


class Maker:
    """One profile by one seed."""

    def __init__(self, way: str, seed: int) -> None:
        self.way, self.chance = way, random.Random(f"{way} {seed}")
        self.axis = self.chance.choice(("unit", "zone", "slot"))
        self.count = self.chance.randint(2, 4)
        self.tells_startup = way in ("dialogue", "http", "modbus", "framed") and self.chance.random() < 0.7
        self.next = 1

    def profile(self) -> Data:
        items = [self._item(n) for n in range(1, self.chance.randint(4, 9))]
        procedures = self._procedures(items)
        return {
            "format": 2, "id": "made-up", "maker": "Chance", "model": f"C{self.chance.randint(1, 99)}", "kind": "unit",
            "channels": {"way": self._channel()}, "items": items,
            "axes": {self.axis: {"count": self.count, "label": self.axis.title()}}, "procedures": procedures,
        }  # fmt: skip

    # Items

    def _item(self, n: int) -> Data:
        along = self.chance.random() < 0.5
        path = f"/{self.axis}s/{{{self.axis}}}/v{n}" if along else f"/v{n}"
        kind, words = self._type()
        item: Data = {"path": path, "label": f"Value {n}" + (f" {{{self.axis}}}" if along else ""), "type": kind}
        item["kept"] = self.chance.choice(("when-stored", "when-stored", "always", "never"))
        if item["kept"] == "when-stored" and self.chance.random() < 0.3:
            item["takes"] = "on-restart"
        binding = getattr(self, f"_{self.way}")(n, along, item, words)
        if words:
            binding["words"] = words
        item["bind"] = {"way": binding}
        return item

    def _type(self) -> tuple[Data, dict[Any, Any]]:
        numbers = self.way in ("modbus", "snmp", "framed", "rdm")  # words are numbers there
        match self.chance.choice(TYPES[self.way]):
            case "text":
                return {"is": "text", "max_length": self.chance.randint(2, 7) * 2, "ascii": True}, {}
            case "integer":
                low = self.chance.choice((0, 0, 1, -500))
                return {"is": "integer", "minimum": low, "maximum": self.chance.choice((9, 255, 30000))}, {}
            case "decimal":
                low = self.chance.choice((0, -80, 0.5))
                step = self.chance.choice((0.1, 0.5) if self.way == "http" else (0.1, 0.5, 0.01))
                return {"is": "decimal", "minimum": low, "maximum": self.chance.choice((10, 99.5)), "step": step}, {}
            case "boolean":
                if numbers:
                    return {"is": "boolean"}, {"true": 1, "false": 2 if self.way == "snmp" else 0}
                return {"is": "boolean"}, self.chance.choice(({"true": "Y", "false": "N"}, {"true": "1", "false": "0"}))
            case "choice":
                options = {f"o{n}": f"Option {n}" for n in range(self.chance.randint(2, 5))}
                said = list(range(len(options))) if numbers else [f"W{n}x" for n in range(len(options))]
                self.chance.shuffle(said)
                return {"is": "choice", "options": options}, dict(zip(options, said, strict=True))
            case other:
                return {"is": other}, {}

    def _number(self, item: Data) -> tuple[float, float]:
        """(factor, most on the wire) that keep what its steps are."""
        kind = item["type"]
        factor = round(1 / kind["step"]) if kind["is"] == "decimal" else 1
        return factor, max(abs(kind.get("minimum", 0)), abs(kind.get("maximum", 0))) * factor

    def _one(self) -> int:
        number, self.next = self.next, self.next + 1
        return number

    # Ways

    def _dialogue(self, n: int, along: bool, item: Data, words: Data) -> Data:
        name, place = f"V{n}", f" {{{self.axis}}}" if along else ""
        binding = {
            "ask": f"{name}{place} ?", "answer": f"^{name}{place} = (?P<value>.*)$",
            "set": f"{name}{place} := {{value}}", "took": "^OK$",
        }  # fmt: skip
        if self.tells_startup and item["kept"] == "when-stored":
            binding["startup_ask"] = f"{name}{place} ??"
        if item["type"]["is"] == "decimal" and self.chance.random() < 0.5:
            binding["factor"] = self._number(item)[0]
        elif item["type"]["is"] == "integer" and item["type"]["minimum"] >= 0 and self.chance.random() < 0.4:
            binding["form"] = self.chance.choice(("05d", "04X"))
        return binding

    def _http(self, n: int, along: bool, item: Data, words: Data) -> Data:
        binding: Data = {"pointer": f"/V{n}" + (f"_{{{self.axis}}}" if along else "")}
        if item["type"] == {**item["type"], "is": "decimal", "step": 0.1} and self.chance.random() < 0.5:
            binding["factor"] = 10
        return binding

    def _modbus(self, n: int, along: bool, item: Data, words: Data) -> Data:
        kind = item["type"]["is"]
        if kind == "text":
            length = item["type"]["max_length"] // 2
            return self._registers(item, along, length, {"kind": "text", "length": length})
        if kind in ("integer", "decimal"):
            factor, most = self._number(item)
            signed = item["type"]["minimum"] < 0
            wide = most > (32767 if signed else 65535) or self.chance.random() < 0.3
            form = {(False, False): "u16", (False, True): "s16", (True, False): "u32", (True, True): "s32"}[
                wide, signed
            ]
            if kind == "decimal" and self.chance.random() < 0.3:
                return self._registers(item, along, 2, {"kind": "f32", "low_first": self.chance.random() < 0.5})
            binding = {"kind": form, "factor": factor}
            if wide:
                binding["low_first"] = self.chance.random() < 0.5
            return self._registers(item, along, 2 if wide else 1, binding)
        return self._registers(item, along, 1, {"kind": "u16"})

    def _registers(self, item: Data, along: bool, size: int, binding: Data) -> Data:
        step = size + self.chance.choice((0, 0, 1, 3))
        far = step * (self.count if along else 1)
        binding |= {"register": self.next + self.chance.choice((0, 0, 2, 7)), "step": step}
        self.next = int(binding["register"]) + far
        if self.tells_startup and item["kept"] == "when-stored":
            binding["startup"] = int(binding["register"]) + 5000
        return binding

    def _snmp(self, n: int, along: bool, item: Data, words: Data) -> Data:
        kind = item["type"]["is"]
        syntax = {"text": "text", "ipv4": "ip"}.get(kind, "integer")
        binding: Data = {"oid": f"1.3.6.1.4.1.32473.1.{n}." + (f"{{{self.axis}}}" if along else "0"), "syntax": syntax}
        if kind == "decimal":
            binding["factor"] = self._number(item)[0]
        return binding

    def _framed(self, n: int, along: bool, item: Data, words: Data) -> Data:
        place = f" {{{self.axis}-1:02x}}" if along else ""
        kind, code = item["type"]["is"], f"{n:02x}"
        form = f"text{item['type']['max_length']}" if kind == "text" else "u8" if kind == "choice" else "u16"
        binding: Data = {}
        if kind in ("integer", "decimal"):
            factor, _ = self._number(item)
            form = "s16" if item["type"]["minimum"] < 0 else "u16"
            binding["factor"] = factor
        binding |= {"ask": f"10 {code}{place}", "answer": f"90 {form}:value",
                    "set": f"11 {code}{place} {form}:value", "took": "91"}  # fmt: skip
        if self.tells_startup and item["kept"] == "when-stored":
            binding["startup_ask"] = f"12 {code}{place}"
        return binding

    def _rdm(self, n: int, along: bool, item: Data, words: Data) -> Data:
        binding: Data = {"parameter": 0x8000 + n}
        if along:  # the place is what a question carries
            item["path"], item["label"] = f"/v{n}", f"Value {n}"
        kind = item["type"]["is"]
        if kind == "text":
            return {**binding, "kind": "text"}
        if kind == "choice":
            return binding
        factor, _ = self._number(item)
        signed = item["type"]["minimum"] < 0
        return {**binding, "size": 2, "factor": factor, "kind": "signed" if signed else "unsigned"}

    # The rest

    def _channel(self) -> Data:
        more: Data = {"protocol": self.way}
        match self.way:
            case "dialogue":
                more |= {"over": "tcp", "port": 6100, "line_end": "\n", "constant": {"maker": "Chance"},
                         "identify": [{"send": "ID", "answer": "^ID (?P<model>\\S+) (?P<serial>\\S+)$"}],
                         "errors": [{"pattern": "^NO unknown", "means": "unknown"}, {"pattern": "^NO"}]}  # fmt: skip
            case "http":
                more |= {"port": 8100, "bodies": "form", "identify": {"path": "/id"}, "constant": {"maker": "Chance"},
                         "identity": {"serial": "/SN", "model": "/MD"}, "read": {"running": {"path": "/now"}},
                         "write": {"method": "POST", "path": "/now"}}  # fmt: skip
                if self.tells_startup:
                    more["read"]["startup"] = {"path": "/kept"}
            case "modbus":
                more |= {"over": ["tcp"], "gap": 0, "identity": {"serial": {"register": 9000, "length": 6}}}
            case "snmp":
                more |= {"identity": {"serial": "1.3.6.1.4.1.32473.9.1.0", "maker": "1.3.6.1.4.1.32473.9.2.0",
                                      "model": "1.3.6.1.4.1.32473.9.3.0"}, "community": "made", "most": 7}  # fmt: skip
            case "framed":
                more |= {"over": "tcp", "port": 6200, "constant": {"maker": "Chance"},
                         "framing": {"start": "a5", "length": "body", "check": {"kind": "sum"}},
                         "identify": [{"send": "01", "answer": "81 text8:serial text8:model"}],
                         "refusals": [{"answer": "ee u8:code", "means": "refused"}]}  # fmt: skip
        return more

    def _procedures(self, items: list[Data]) -> Data:
        calls = {
            "dialogue": ({"send": "KEEP", "answer": "^OK$"}, {"send": "BOOT", "answer": "^OK$"}),
            "http": ({"method": "POST", "path": "/keep"}, {"method": "POST", "path": "/boot"}),
            "modbus": ({"register": 9100, "value": 1}, {"register": 9100, "value": 2}),
            "snmp": ({"oid": "1.3.6.1.4.1.32473.8.1.0", "value": 1}, {"oid": "1.3.6.1.4.1.32473.8.1.0", "value": 2}),
            "framed": ({"send": "20", "answer": "a0"}, {"send": "21", "answer": "a1"}),
            "rdm": ({"parameter": 0x9001, "data": "01"}, {"parameter": 0x9002, "data": "01"}),
        }[self.way]
        found: Data = {"restart": {"calls": {"way": [calls[1]]}, "away": 2}}
        if any(item["kept"] == "when-stored" for item in items):
            found["store"] = {"calls": {"way": [calls[0]]}}
        return found
