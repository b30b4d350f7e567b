"""How versions of firmware compare, by the scheme of their model, and what is said of one."""

from __future__ import annotations

from functools import cmp_to_key
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from netloom_core.profiles.firmware import SCHEMES, Firmware

RISING = {
    "dotted": ["1.9", "1.9.1", "1.10beta2", "1.10rc1", "1.10", "1.10.0.1", "2", "v2.0.1", "10.0"],
    "letters": ["2.3z", "2.4", "2.4a", "2.4b", "2.4.1", "2.10"],
    "dated": ["2024-12-31", "20250101", "2025.3.1", "2026/03/01"],
    "build": ["4.2 build 9", "3.1 (2207)", "1.0.2208"],
}
NO_VERSION = {"dotted": "loader", "letters": "2.4-a", "dated": "26-03-01", "build": "none"}


@pytest.mark.parametrize("scheme", SCHEMES)
def test_versions_come_one_after_the_other(scheme: str) -> None:
    way = Firmware(scheme=scheme)  # type: ignore[arg-type]
    for older, newer in pairwise(RISING[scheme]):
        assert (way.compare(older, newer), way.compare(newer, older)) == (-1, 1), (older, newer)
    assert way.compare(NO_VERSION[scheme], RISING[scheme][0]) is None


def test_the_same_version_may_be_written_in_several_ways() -> None:
    assert Firmware().compare("2.4", "V2.4.0") == 0
    assert Firmware().compare(" 2.04 ", "2.4") == 0
    assert Firmware(scheme="dated").compare("2026-3-1", "20260301") == 0


TEXTS = st.text(alphabet="0123456789.abrcv- ()", max_size=14)


@given(st.sampled_from(sorted(SCHEMES)), TEXTS, TEXTS, TEXTS)
def test_it_is_an_order(scheme: str, a: str, b: str, c: str) -> None:
    way = Firmware(scheme=scheme)  # type: ignore[arg-type]
    orders = way.compare(a, b), way.compare(b, a), way.compare(b, c), way.compare(a, c)
    if None in orders:
        assert any(way.key(one) is None for one in (a, b, c))
        return
    ab, ba, bc, ac = orders
    assert ab is not None
    assert ab == -ba  # type: ignore[operator]
    if ab <= 0 and bc <= 0:  # type: ignore[operator]
        assert ac <= 0  # type: ignore[operator]
    ranked = sorted([c, a, b], key=cmp_to_key(lambda x, y: way.compare(x, y) or 0))
    assert [way.compare(x, y) for x, y in pairwise(ranked)].count(1) == 0


def test_what_is_said_of_a_version() -> None:
    way = Firmware.model_validate(
        {"least": "2.4", "why": "older ones forget", "refused": [{"version": "2.4.3", "why": "it hangs"}]}
    )
    assert way.standing("2.3.9") == ("behind", "2.4 at least: older ones forget")
    assert way.standing("2.4.0") == ("enough", "")
    assert way.standing("v2.4.3.0") == ("refused", "it hangs")
    assert way.standing("loader") == ("", ""), "what is no version is not judged"


@pytest.mark.parametrize(
    "wrong",
    [
        {"least": "2.4"},
        {"least": "loader", "why": "so"},
        {"scheme": "dated", "least": "2.4", "why": "so"},
        {"refused": [{"version": "2.4"}]},
    ],
)
def test_what_cannot_be_meant_is_refused_with_the_file(wrong: dict[str, object]) -> None:
    with pytest.raises(ValidationError):
        Firmware.model_validate(wrong)
