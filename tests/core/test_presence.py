"""Whom a sweep asks first, how fast, and when it ends; without any network."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator

import pytest

from netloom_core.bus.owner import Owners
from netloom_core.clock import SystemClock
from netloom_core.library.load import Library
from netloom_core.model.access import Refusals
from netloom_core.model.device import Credentials
from netloom_core.model.line import Line, address_key, host_of
from netloom_core.sweep.base import Look, Method
from netloom_core.sweep.pace import CALM_S, LEAST, Pace
from netloom_core.sweep.presence import Presence
from netloom_core.sweep.sweep import SweepResult, sweep
from tests.patience import SOON_S

HOSTS = ["10.0.0.2", "10.0.0.3", "10.0.0.4", "10.0.0.5"]
NET = Line("net", "Net", "ip", network="10.0.0.0/29", source="10.0.0.1")


async def taken(hosts: AsyncIterator[str], into: list[str]) -> None:
    async for host in hosts:
        into.append(host)


async def test_those_who_were_met_are_asked_at_once_and_silent_ones_not_at_all() -> None:
    presence, asked = Presence(HOSTS, probing=True), []
    asking = asyncio.create_task(taken(presence.first(), asked))
    await asyncio.sleep(0)
    assert asked == []
    presence.met("10.0.0.4")
    presence.met("10.0.0.4")
    presence.met("10.9.9.9")
    await asyncio.sleep(0.01)
    assert asked == ["10.0.0.4"]
    presence.settle(proven=True)
    await asyncio.wait_for(asking, SOON_S)
    assert asked == ["10.0.0.4"]
    assert presence.silent == 3


async def test_without_proof_the_silent_ones_come_last_and_nobody_twice() -> None:
    presence, asked = Presence(HOSTS, probing=True), []
    presence.met("10.0.0.5")
    presence.settle(proven=False)
    await taken(presence.first(), asked)
    assert asked == ["10.0.0.5", "10.0.0.2", "10.0.0.3", "10.0.0.4"]


async def test_who_is_met_while_the_others_are_asked_is_asked_too() -> None:
    presence, asked = Presence(HOSTS[:2], probing=False), []
    async for host in presence.first():
        asked.append(host)
        presence.met(HOSTS[1])
    assert asked == HOSTS[:2]


def test_the_rate_follows_what_the_computer_takes() -> None:
    now = 0.0
    pace = Pace(1000, now=lambda: now)
    for _ in range(40):  # a burst of refusals is one sign, not forty
        pace.slow()
    assert (pace.rate, pace.slowed) == (500, 1)
    for _ in range(12):
        now += CALM_S
        pace.slow()
    assert pace.rate == LEAST
    for _ in range(40):
        now += CALM_S
        pace.delay()
    assert pace.rate == 1000


class Slow(Method):
    name, title, limit_s = "slow", "A slow one", 0.2

    async def run(self, look: Look) -> None:
        for number in range(1000):
            look.progress(number, 1000)
            look.sight(HOSTS[0], self.name, ports="80")
            await asyncio.sleep(0.05)


class Broken(Method):
    name, title = "broken", "A broken one"

    async def run(self, look: Look) -> None:
        raise KeyError("x")


async def look(*methods: Method, within: float = 60.0) -> SweepResult:
    return await sweep([NET], [], Library([]), Owners(), SystemClock(), methods=methods, within=within)


@pytest.mark.parametrize("within", [60.0, 0.1])
async def test_a_method_ends_in_its_time_with_what_it_has(within: float) -> None:
    result = await asyncio.wait_for(look(Slow(), Broken(), within=within), SOON_S)
    assert [f.address for f in result.findings] == [HOSTS[0]]
    assert {report.method: report.state for report in result.reports} == {"slow": "cut", "broken": "failed"}
    [cut] = [t for t in result.troubles if t["code"] == "cut-off"]
    assert "of 1000 steps were made" in cut["message"]
    assert result.complete


async def test_one_address_cannot_fill_the_evidence() -> None:
    class Flood(Method):
        name = "flood"

        async def run(self, look: Look) -> None:
            for number in range(5000):
                look.sight(HOSTS[0], self.name, ports=str(number))
            look.sight(HOSTS[1], self.name, ports="80")

    result = await look(Flood())
    assert len(result.sightings) < 500
    assert [f.address for f in result.findings] == HOSTS[:2]


def test_a_login_that_was_refused_twice_is_not_tried_by_itself() -> None:
    refusals, login = Refusals(secret=b"key"), Credentials("operator", "first")
    assert refusals.may("10.0.0.2", login)
    for _ in range(2):
        refusals.refused("10.0.0.2", login)
    assert not refusals.may("10.0.0.2", login)
    assert refusals.may("10.0.0.3", login), "elsewhere it may be right"
    assert refusals.may("10.0.0.2", Credentials("operator", "second")), "a changed one is another"
    kept = Refusals(refusals.counts, b"key")
    assert not kept.may("10.0.0.2", login)
    assert "first" not in str(kept.counts)
    kept.taken("10.0.0.2", login)
    assert kept.counts == {}


def test_units_behind_a_gateway_have_places_of_their_own() -> None:
    assert host_of("10.0.0.2#7") == "10.0.0.2"
    assert host_of("10.0.0.2#x") == "10.0.0.2#x"
    assert NET.holds("10.0.0.2#7")
    assert not NET.holds("10.0.0.2#700")
    places = ["10.0.0.3", "10.0.0.2#10", "10.0.0.2#7", "10.0.0.2"]
    assert sorted(places, key=address_key) == ["10.0.0.2", "10.0.0.2#7", "10.0.0.2#10", "10.0.0.3"]
