"""Event records that devices keep themselves, by whatever clock they have."""

from __future__ import annotations

import asyncio
import json
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from netloom_core.errors import ProfileError
from netloom_core.profiles.record import MOST_EVENTS, Event, moment, set_on_ours
from tests.core.drivers.made import driver, profile

HOST = "127.65.10.9"
WEB = {"protocol": "http", "port": 8099, "identify": {"path": "/who"}, "identity": {"serial": "/serial"}}


@pytest.mark.parametrize(
    ("text", "how", "seconds"),
    [
        ("2026-11-27T12:00:00Z", "iso", 1795780800.0),
        ("2026-11-27T12:00:00", "iso", 1795780800.0),
        ("2026-11-27T13:00:00+01:00", "iso", 1795780800.0),
        (" 1795780800 ", "unix", 1795780800.0),
        ("61.5", "uptime", 61.5),
        ("27.11.26 12:00", "%d.%m.%y %H:%M", 1795780800.0),
        ("yesterday", "iso", None), ("", "unix", None), ("9e99", "unix", None), ("nan", "unix", None),
        ("32.11.26", "%d.%m.%y", None),
    ],
)  # fmt: skip
def test_times_as_devices_write_them(text: str, how: str, seconds: float | None) -> None:
    assert moment(text, how) == seconds


def test_a_clock_that_is_wrong_is_set_on_ours() -> None:
    events = [Event("relay fired", own=5000.0), Event("bus lost", own=4940.0), Event("no time at all")]
    told = set_on_ours(events, own_now=5060.0, our_now=1060.0, how="unix")
    assert told.ahead == 4000.0
    assert [(one.text, one.at) for one in told.events] == [
        ("bus lost", 940.0),
        ("relay fired", 1000.0),
        ("no time at all", None),
    ]


def test_one_that_counts_from_its_start_is_placed_by_how_long_it_runs() -> None:
    told = set_on_ours([Event("door open", own=30.0)], own_now=100.0, our_now=5000.0, how="uptime")
    assert (told.events[0].at, told.ahead) == (4930.0, None)
    blind = set_on_ours([Event("door open", own=30.0)], own_now=None, our_now=5000.0, how="uptime")
    assert blind.events[0].at is None, "without its clock that says nothing"


def test_what_is_too_much_is_cut() -> None:
    told = set_on_ours([Event("x" * 9999, own=float(n)) for n in range(MOST_EVENTS * 2)], 9e3, 9e3, "unix")
    assert len(told.events) == MOST_EVENTS
    assert len(told.events[0].text) == 300


@given(st.text(max_size=40), st.sampled_from(["iso", "unix", "uptime", "%d.%m.%y %H:%M", "%Q%", "%"]))
def test_no_text_breaks_it(text: str, how: str) -> None:
    found = moment(text, how)
    assert found is None or abs(found) < 1e12


@asynccontextmanager
async def peer(log: Any) -> AsyncIterator[None]:
    async def serve(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        while line := await reader.readline():
            while (await reader.readline()).strip():
                pass
            body = json.dumps({"serial": "P-1"} if b"/who" in line else log).encode()
            writer.write(
                b"HTTP/1.1 200 OK\r\ncontent-type: application/json\r\ncontent-length: %d\r\n\r\n" % len(body) + body
            )
            await writer.drain()
        writer.close()

    server = await asyncio.start_server(serve, HOST, 8099)
    async with server:
        yield


def by_http(**record: Any) -> Any:
    how = {
        "call": {"path": "/log"},
        "at": "/rows",
        "when": "/t",
        "text": "/what/said",
        "code": "/n",
        "now": "/now",
        "time": "unix",
    }
    return profile({**WEB, "record": {**how, **record}}, [])


async def test_over_http_a_list_of_anything_is_read_for_what_it_has() -> None:
    rows = [{"t": 10, "what": {"said": "door open"}, "n": 7}, {"t": "soon", "what": "x"}, "nonsense", None, {"t": [1]}]
    async with peer({"now": 100, "rows": rows}), driver(by_http(), HOST) as talk:
        now, events = await talk.record()
    assert now == 100.0
    assert [(one.text, one.code, one.own) for one in events] == [
        ("door open", "7", 10.0),
        ("", "", None),
        ("", "", None),
    ]


async def test_over_http_no_list_is_no_record() -> None:
    async with peer({"rows": {"a": 1}}), driver(by_http(), HOST) as talk:
        assert await talk.record() == (None, [])


def test_a_dialogue_whose_line_has_no_time_is_told() -> None:
    way = {"protocol": "dialogue", "over": "tcp", "port": 9, "identify": [{"send": "who", "answer": "(?P<serial>.+)"}]}
    with pytest.raises(ProfileError, match=r"record\.line"):
        profile({**way, "record": {"ask": "log", "line": "(?P<text>.+)"}}, [])
