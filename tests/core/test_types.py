"""Types of values: what may be given, one canonical form, and that nothing that comes from outside breaks one."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import TypeAdapter, ValidationError

from netloom_core.types.base import BadValue, ValueType
from netloom_core.types.registry import AnyType

ADAPTER: TypeAdapter[Any] = TypeAdapter(AnyType)
SCALE = {"minimum": -60, "maximum": 24, "step": 0.5}


def made(data: Any) -> ValueType:
    kind: ValueType = ADAPTER.validate_python(data)
    return kind


ALL = [
    made(data)
    for data in (
        "text", "boolean", "ipv4", "netmask", "mac", "time", "secret", {"is": "integer", "minimum": -5, "maximum": 50},
        {"is": "decimal", "minimum": -80, "maximum": 12, "step": 0.5},
        {"is": "choice", "options": {"open": "Open", 1: "One"}},
        {"is": "curve", "points": 4, "x": SCALE, "y": SCALE}, {"is": "bytes", "max_length": 8},
        {"is": "list", "each": "ipv4"},
    )
]  # fmt: skip
ANYTHING = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=40),
    lambda inner: st.lists(inner, max_size=5) | st.dictionaries(st.text(max_size=5), inner, max_size=3),
    max_leaves=8,
)


@pytest.mark.parametrize(
    ("kind", "given_", "canonical"),
    [
        ({"is": "decimal", "minimum": -80, "maximum": 12, "step": 0.5}, "-6.00", -6.0),
        ({"is": "decimal", "minimum": -80, "maximum": 12, "step": 0.1}, -5.999, None),
        ({"is": "integer", "maximum": 9}, "7", 7),
        ({"is": "integer", "maximum": 9}, "7_0", None),
        ({"is": "integer", "minimum": 0, "maximum": 100, "step": 5}, 7, None),
        ("mac", "0A-1B-2C-3D-4E-5F", "0a:1b:2c:3d:4e:5f"),
        ("mac", "0a1b.2c3d.4e5f", "0a:1b:2c:3d:4e:5f"),
        ("mac", "0a:1b:2c:3d:4e", None),
        ("time", "7:30", "07:30:00"),
        ("time", "24:00", None),
        ("netmask", "/24", "255.255.255.0"),
        ({"is": "choice", "options": {"open": "Open", "closed": "Shut"}}, "shut", "closed"),
        ({"is": "bytes", "min_length": 2, "max_length": 4}, "A5 5a:01", "a55a01"),
        ({"is": "bytes", "min_length": 2}, "a5", None),
        ({"is": "list", "each": {"is": "integer", "maximum": 9}, "ordered": False}, [3, 1], [1, 3]),
        ({"is": "list", "each": "ipv4"}, '["192.0.2.1"]', ["192.0.2.1"]),
        ({"is": "curve", "points": 3, "x": SCALE, "y": SCALE}, [[0, 0], [1, 1]], [[0.0, 0.0], [1.0, 1.0]]),
        ({"is": "curve", "points": 3, "x": SCALE, "y": SCALE}, [[1, 0], [1, 1]], None),
        ({"is": "curve", "points": 3, "steady": True, "x": SCALE, "y": SCALE}, [[0, 5], [1, 1]], None),
        ({"is": "curve", "points": 3, "fixed": True, "x": SCALE, "y": SCALE}, [[0, 0], [1, 1]], None),
    ],
)
def test_what_may_be_given_and_its_one_form(kind: Any, given_: Any, canonical: Any) -> None:
    if canonical is None:
        with pytest.raises(BadValue):
            made(kind).check(given_)
    else:
        assert made(kind).check(given_) == canonical


def test_what_a_device_tells_is_put_on_the_nearest_step() -> None:
    level = made({"is": "decimal", "minimum": -80, "maximum": 12, "step": 0.1})
    assert level.canonical(-5.999) == level.canonical("-6") == -6.0
    assert level.show(-6.0) == "-6.0"


@given(ANYTHING)
def test_anything_is_a_value_or_a_plain_no(value: Any) -> None:
    for kind in ALL:
        for ask in (kind.check, kind.canonical):
            try:
                once = ask(value)
            except BadValue:
                continue
            assert kind.canonical(once) == once, f"{kind.name}: {value!r}"
            assert isinstance(kind.show(once), str)


@pytest.mark.parametrize("kind", ALL, ids=[kind.name for kind in ALL])
def test_a_default_is_canonical_and_limits_are_plain(kind: ValueType) -> None:
    import json

    if not kind.secret:
        assert kind.canonical(kind.default()) == kind.default()
    json.dumps(kind.limits())
    assert kind.want()


@pytest.mark.parametrize(
    "data",
    [
        "octopus",
        {"is": "integer", "minimum": "low"},
        {"is": "curve"},
        {"is": "text", "colour": "red"},
        {"is": "list"},
        7,
    ],
)
def test_a_type_that_is_none_is_refused(data: Any) -> None:
    with pytest.raises(ValidationError):
        made(data)
