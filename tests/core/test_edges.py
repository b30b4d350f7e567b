"""Changes of live states, and chatter that is found in them."""

from __future__ import annotations

import random

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from netloom_core.live import chatter
from netloom_core.live.edges import MOST_EDGES, UNKNOWN, Edge, Edges


def beat(point: str, *, begin: float, every: float, count: int, device: str = "d", cause: str = "") -> list[Edge]:
    return [Edge(device, point, "on" if n % 2 else "off", begin + n * every, cause) for n in range(count + 1)]


def found(*lists: list[Edge], now: float | None = None) -> list[chatter.Chatter]:
    recent = {(edges[0].device, edges[0].point): edges for edges in lists}
    return chatter.found(recent, now if now is not None else max(edges[-1].time for edges in lists))


def test_only_what_changes_is_an_edge_and_a_loss_is_one() -> None:
    edges = Edges()
    assert [e.point for e in edges.told("d", {"a": "on", "b": "off"}, 1)] == ["a", "b"]
    assert edges.told("d", {"a": "on", "b": "off"}, 2) == []
    assert [(e.point, e.state) for e in edges.told("d", {"b": "on"}, 3)] == [("b", "on")]
    assert {(e.point, e.state) for e in edges.lost("d", 4)} == {("a", UNKNOWN), ("b", UNKNOWN)}
    assert edges.lost("d", 5) == [], "it was lost already"
    assert [e.state for e in edges.told("d", {"a": "on"}, 6)] == ["on"], "that it is known again shows"


def test_what_was_driven_has_its_cause_for_a_moment() -> None:
    edges = Edges()
    edges.told("d", {"a": "off"}, 0)
    edges.driven("d", "a", "anna", 10)
    assert edges.told("d", {"a": "on"}, 10.5)[0].cause == "anna"
    assert edges.told("d", {"a": "off"}, 60)[0].cause == "", "a minute later it was somebody else"


def test_a_chart_begins_with_where_it_stood() -> None:
    edges = Edges()
    for time, state in ((1, "off"), (5, "on"), (9, "off")):
        edges.told("d", {"a": state}, time)
    assert [(e.time, e.state) for e in edges.of([("d", "a"), ("d", "none")], 6)] == [(5, "on"), (9, "off")]
    edges.forget("d")
    assert edges.of([("d", "a")], 0) == []


def test_what_is_kept_is_bounded() -> None:
    edges = Edges()
    for n in range(MOST_EDGES * 2):
        edges.told("d", {"a": str(n)}, n)
    assert len(edges.of([("d", "a")], 0)) == MOST_EDGES


def test_a_relay_that_is_fired_each_second_is_found_and_one_that_was_driven_is_not() -> None:
    [one] = found(beat("relay-1", begin=100, every=1.0, count=20))
    assert (one.point, one.kind, one.changes, round(one.every, 2)) == ("relay-1", "beats", 20, 1.0)
    assert found(beat("relay-1", begin=100, every=1.0, count=20, cause="anna")) == []
    assert found(beat("relay-1", begin=100, every=1.0, count=7)) == [], "seven changes are none yet"
    assert found(beat("relay-1", begin=100, every=9.0, count=30)) == [], "slow ones are the day's business"


def test_it_is_over_when_it_was_quiet_for_a_while() -> None:
    edges = beat("relay-1", begin=100, every=0.5, count=20)
    assert found(edges, now=110 + chatter.QUIET_S - 1)
    assert found(edges, now=110 + chatter.QUIET_S + 1) == []


def test_an_input_that_bounces_and_one_that_flutters() -> None:
    assert found(beat("input-1", begin=0, every=0.03, count=40))[0].kind == "bounces"
    rng = random.Random(7)
    times = [0.0]
    while len(times) < 20:
        times.append(times[-1] + rng.choice([0.4, 3.5, 0.7, 5.0]))
    edges = [Edge("d", "input-1", "on" if n % 2 else "off", time) for n, time in enumerate(times)]
    [one] = found(edges)
    assert (one.kind, one.beat) == ("flutters", False)


def test_who_follows_whom_is_told_across_devices() -> None:
    leads = beat("input-2", begin=100, every=2.0, count=14, device="bus")
    follows = beat("relay-1", begin=100.15, every=2.0, count=14, device="box")
    stranger = beat("relay-9", begin=100.9, every=1.3, count=20, device="far")
    told = {one.point: one for one in found(leads, follows, stranger)}
    assert told["relay-1"].leader == ("bus", "input-2")
    assert round(told["relay-1"].lag, 2) == 0.15
    assert told["input-2"].leader is None
    assert told["relay-9"].leader is None, "another beat has nothing to do with it"
    assert next(one.point for one in found(leads, follows)) == "input-2", "who leads comes first"


def test_gaps_are_no_changes() -> None:
    edges = [Edge("d", "a", "on" if n % 2 else UNKNOWN, n) for n in range(40)]
    assert found(edges) == []


@settings(max_examples=200, deadline=None)
@given(st.lists(st.tuples(st.floats(0, 60), st.sampled_from(["on", "off", ""])), max_size=60), st.floats(0, 120))
def test_no_history_breaks_it(history: list[tuple[float, str]], now: float) -> None:
    edges = [Edge("d", "a", state, time) for time, state in sorted(history)]
    for one in chatter.found({("d", "a"): edges}, now):
        assert one.changes >= chatter.FEWEST
        assert 0 <= one.every <= chatter.SLOWEST_S


@pytest.mark.parametrize("count", [200])
def test_two_hundred_points_that_chatter_at_once_are_looked_through(count: int) -> None:
    lists = [beat(f"p{n}", begin=100 + n * 0.001, every=1.0, count=30) for n in range(count)]
    assert len(found(*lists)) == count
