"""Merge patches into arrays; whether who answers is the device on record."""

from __future__ import annotations

import pytest

from netloom_core.documents.patch import merge_patch
from netloom_core.documents.tree import depth, get
from netloom_core.errors import ProtocolError
from netloom_core.identity.keys import is_placeholder, keys_of, serial_key
from netloom_core.identity.proof import Verdict, judge
from netloom_core.model.device import Identity, Target
from netloom_core.testing.rig import NET


def merged(document: object, patch: object) -> object:
    """RFC 7396 clause 2, as the device does it."""
    if not isinstance(patch, dict):
        return patch
    result = dict(document) if isinstance(document, dict) else {}
    for name, value in patch.items():
        if value is None:
            result.pop(name, None)
        else:
            result[name] = merged(result.get(name), value)
    return result


def test_an_element_of_an_array_is_set_and_its_neighbours_stay() -> None:
    device = {"relays": [{"idle": "open", "name": "a"}, {"idle": "open", "name": "b"}], "name": "x"}
    patch = merge_patch(device, {"/relays/0/idle": "closed", "/relays/1/name": "c", "/name": "y"})
    assert merged(device, patch) == {
        "relays": [{"idle": "closed", "name": "a"}, {"idle": "open", "name": "c"}],
        "name": "y",
    }
    assert device["relays"][0]["idle"] == "open", "what was read is not touched"


def test_arrays_in_arrays_and_objects_with_numbers_for_names() -> None:
    device = {"grid": {"rows": [[1, 2], [3, 4]]}, "relays": {"1": {"idle": "open"}}}
    patch = merge_patch(device, {"/grid/rows/1/0": 9, "/relays/1/idle": "closed"})
    assert get(merged(device, patch), "/grid/rows") == [[1, 2], [9, 4]]
    assert patch["relays"] == {"1": {"idle": "closed"}}


@pytest.mark.parametrize("pointer", ["/relays/9/idle", "/relays/x/idle", "/relays/0/idle/deeper"])
def test_what_is_not_there_is_not_sent(pointer: str) -> None:
    with pytest.raises(ProtocolError) as caught:
        merge_patch({"relays": [{"idle": "open"}]}, {pointer: 1})
    assert caught.value.outcome == "not_sent"


def test_depth_without_recursion() -> None:
    deep: object = 1
    for _ in range(50_000):
        deep = [deep]
    assert depth(deep) == 50_000


ALIASES = {"hallvane ltd": "Hallvane"}


def makers(name: str) -> str:
    return ALIASES.get(name.casefold(), name)


def known(*keys: str, found: bool = True) -> Target:
    return Target(
        "d", "Box", "p", NET, "127.20.10.11", keys=keys, maker="Hallvane", models=("RX8", "RX-8"), found=found
    )


@pytest.mark.parametrize(
    ("target", "identity", "verdict"),
    [
        (known("hallvane|s1"), Identity("Hallvane", "RX8", "S1"), Verdict.SAME),
        (known("hallvane|s1"), Identity("Hallvane Ltd", "RX8", "S1"), Verdict.SAME),
        (known("hallvane|s1"), Identity("Hallvane", "RX8", "S2"), Verdict.OTHER),
        (known("hallvane|s1"), Identity("Hallvane", "RX8", ""), Verdict.UNTOLD),
        (known("hallvane|s1"), Identity("Hallvane", "RX8", "000000"), Verdict.UNTOLD),
        # the same MAC address, but another serial number: a cloned image
        (known("hallvane|s1", "mac:02:00:00:00:00:01"),
         Identity("Hallvane", "RX8", "S2", facts={"mac": "02:00:00:00:00:01"}), Verdict.OTHER),
        (known("mac:02:00:00:00:00:01"), Identity("Hallvane", "RX8", "", facts={"mac": "02-00-00-00-00-01"}),
         Verdict.SAME),
        (known("mac:02:00:00:00:00:01"), Identity("Hallvane", "RX8", "", facts={"mac": "02:00:00:00:00:02"}),
         Verdict.OTHER),
        (known("mac:02:00:00:00:00:01"), Identity("Hallvane", "RX8", "S1"), Verdict.UNTOLD),
        # what bears nothing unique is proven by what it has
        (known(), Identity("Hallvane", "RX-8", "00000000"), Verdict.SAME),
        (known(), Identity("Hallvane", "XX1", "00000000"), Verdict.OTHER),
        (known(), Identity("Hallvane", "RX8", "S1"), Verdict.OTHER),
        (known(found=False), Identity("Hallvane", "RX8", "00000000"), Verdict.UNTOLD),
    ],
)  # fmt: skip
def test_who_answers(target: Target, identity: Identity, verdict: Verdict) -> None:
    assert judge(target, identity, makers) is verdict


@pytest.mark.parametrize(
    "serial",
    ["0", "000000", "FFFFFFFF", "none", "N/A", "0123456789", "12345678", "00000001", "1", "null",
     "To be filled by O.E.M.", "System Serial Number", "SN000000", "Not Specified"],
)  # fmt: skip
def test_placeholders_name_nobody(serial: str) -> None:
    assert is_placeholder(serial)
    assert serial_key("Hallvane", serial) == ""
    assert keys_of({"maker": "Hallvane", "serial": serial}) == []


@pytest.mark.parametrize("serial", ["HV-40117", "10", "12", "1234", "A1", "00B70E31", "SN-17", "2019000001"])
def test_real_ones_do(serial: str) -> None:
    assert serial_key("Hallvane Ltd", serial, makers) == f"hallvane|{serial.casefold()}"
