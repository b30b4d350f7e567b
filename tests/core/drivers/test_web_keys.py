"""Each key that a binding of HTTP takes is honoured, for each type, in each body, in whole documents and single calls.

A device in memory keeps what stands on its wire; what is read back is what was decided.
"""

from __future__ import annotations

import itertools
from typing import Any

import pytest

from netloom_core.documents.tree import get, put
from netloom_core.drivers.http.driver import HttpDriver
from netloom_core.drivers.http.form import HttpCall
from netloom_core.library.load import Library
from netloom_core.model.change import Change
from netloom_core.model.device import Target
from netloom_core.model.line import Line
from netloom_core.profiles.profile import Profile

CHOICE = {"is": "choice", "options": {"short": "Short", "long": "Long"}}
# type, keys of the binding, a value, and what stands for it on a wire of JSON and on one of text
ROWS: list[tuple[Any, dict[str, Any], Any, Any, str]] = [
    ({"is": "integer", "maximum": 9000}, {}, 250, 250, "250"),
    ({"is": "integer", "maximum": 9000}, {"factor": 0.1}, 250, 25, "25"),
    ({"is": "integer", "maximum": 9000}, {"plus": 5}, 250, 255, "255"),
    ({"is": "integer", "maximum": 9000}, {"form": "05"}, 250, "00250", "00250"),
    ({"is": "integer", "maximum": 9000}, {"form": "04X"}, 250, "00FA", "00FA"),
    ({"is": "integer", "maximum": 9000}, {"words": {250: "quarter"}}, 250, "quarter", "quarter"),
    ({"is": "decimal", "step": 0.5, "maximum": 9}, {"factor": 1000}, 1.5, 1500, "1500"),
    ({"is": "decimal", "step": 0.5, "maximum": 9}, {"factor": 10, "plus": 2}, 1.5, 17, "17"),
    ("boolean", {}, True, True, "true"),
    ("boolean", {"words": {"true": 1, "false": 0}}, False, 0, "0"),
    ("boolean", {"words": {"true": False, "false": True}}, True, False, "false"),
    (CHOICE, {}, "short", "short", "short"),
    (CHOICE, {"words": {"short": 250, "long": 900}}, "long", 900, "900"),
    (CHOICE, {"words": {"short": False, "long": True}}, "short", False, "false"),
    ("text", {}, "12", "12", "12"),
]


class InMemory(HttpDriver):
    """`wire` is the device's document as it stands on the wire."""

    wire: dict[str, Any]

    async def _call(self, call: HttpCall, *args: Any, **more: Any) -> Any:
        return self.wire

    async def _act(self, call: HttpCall, values: Any = None, body: Any = None) -> None:
        if body is None:
            put(self.wire, "/a", (values or {}).get("value", (values or {}).get("state")))
        else:
            put(self.wire, "/a", body["a"])


def driver(library: Library, bodies: str, single: bool, kind: Any, keys: dict[str, Any]) -> InMemory:
    base = library.need("hallvane-rx8").model_dump()
    calls = {"get": {"path": "/a", "at": "/a"}, "put": {"method": "PUT", "path": "/a", "body": {"a": "{value}"}}}
    bind = {"page": {**keys, **(calls if single else {})}}
    base |= {
        "id": "made", "views": [], "procedures": {}, "conditions": [],
        "items": [{"path": "/a", "label": "A", "type": kind, "bind": bind}],
        "channels": {
            "page": {
                "protocol": "http", "port": 80, "bodies": bodies, "identify": {"path": "/who"},
                "identity": {"serial": "/serial"}, "read": {"running": {"path": "/all"}},
                "write": {"method": "PUT", "path": "/all"},
            }
        },
    }  # fmt: skip
    profile = Profile.model_validate({name: base[name] for name in base if name not in ("restless", "joins")})
    target = Target("d", "D", "made", Line("net", "Net", "ip", network="127.20.10.0/24"), "127.20.10.2")
    made = InMemory(target, profile, "page", None)  # type: ignore[arg-type]
    made.wire = {}
    return made


@pytest.mark.parametrize(
    ("bodies", "single", "row"), list(itertools.product(("json", "xml", "form"), (False, True), range(len(ROWS))))
)
async def test_a_key_is_honoured_both_ways(library: Library, bodies: str, single: bool, row: int) -> None:
    kind, keys, value, typed, text = ROWS[row]
    box = driver(library, bodies, single, kind, keys)
    bound = [(one, value) for one in box.profile.bound("page") if one.item.path == "/a"]
    await box.assign(bound)
    said = get(box.wire, "/a")
    if bodies == "json":
        assert (said, type(said)) == (typed, type(typed))
    else:
        assert str(said).lower() == text.lower()
    box.wire = {"a": typed if bodies == "json" else text}
    told = await box.fetch("running", [one for one, _ in bound])
    assert told["/a"] == value
    assert type(told["/a"]) is type(value)
    assert Change("/a", None, value).after == told["/a"]
