"""The list of devices is rendered once for each change, whoever made it, and told row by row."""

from __future__ import annotations

import gzip
import json
from typing import Any

import pytest
from rest_framework.test import APIClient

from netloom_core.library.load import Library
from netloom_server.backups.models import Backup, Document
from netloom_server.host.engine import engine
from netloom_server.host.events import AT_HAND, CALM_TURNS, EventHub
from netloom_server.installation.models import Area, Device, Line, Unit
from netloom_server.installation.services.fitting import remove
from netloom_server.installation.services.roster import Roster
from netloom_server.runs.models import Event
from tests.server.conftest import named


@pytest.fixture
def roster(site: None, library: Library) -> Roster:
    fresh = Roster(library)
    fresh.whole()
    return fresh


def rows(roster: Roster) -> dict[str, dict[str, Any]]:
    return {one["name"]: one for one in json.loads(roster.whole()[1])["devices"]}


def test_whoever_changes_a_row_in_whatever_way_it_is_seen(roster: Roster) -> None:
    box = named("Ticket hall box")
    changes: list[tuple[str, Any, str, Any]] = [
        ("a queryset's update", lambda: Device.objects.filter(id=box.id).update(status="missing"), "state", "missing"),
        ("its unit", lambda: Unit.objects.filter(id=box.unit_id).update(firmware="9.9"), "firmware", "9.9"),
        ("an area", lambda: Area.objects.filter(id=box.area_id).update(name="Ticket office"), "area", "Ticket office"),
    ]
    for what, change, field, value in changes:
        before = roster.tag()
        change()
        assert roster.tag() != before, what
        assert rows(roster)[box.name][field] == value, what
    Line.objects.filter(id=box.line_id).update(name="Old network")
    assert rows(roster)[box.name]["addresses"][0]["line"] == "Old network"
    Backup.objects.filter(device=box).delete()
    assert not rows(roster)[box.name]["baseline"]
    document = Document.keep({"name": "x"})
    Backup.objects.create(
        device=box,
        name=box.name,
        profile=box.profile,
        by="t",
        baseline=True,
        running_id=document,
        taken="2026-01-01T00:00Z",
    )
    assert rows(roster)[box.name]["baseline"]


def test_what_did_not_change_is_not_rendered_again(roster: Roster, django_assert_num_queries: Any) -> None:
    with django_assert_num_queries(1):
        roster.whole()
    Device.objects.filter(name="Ticket hall box").update(status="moved")
    with django_assert_num_queries(6):  # what was touched; its baseline, who has a login, lines, the row, its fences
        roster.whole()


def test_news_are_told_once_and_only_where_a_row_is_another_one(roster: Roster) -> None:
    box = named("Ticket hall box")
    Device.objects.filter(id=box.id).update(status=box.status)
    assert roster.news() == [], "the same row is no news"
    Device.objects.filter(id=box.id).update(status="moved")
    gone = named("Car deck box")
    ident = gone.id
    remove(gone)
    news = dict(roster.news())
    assert json.loads(news[box.id])["state"] == "moved"
    assert news[ident] == b""
    assert roster.news() == []
    roster.put_back([(box.id, b"old")])
    Device.objects.filter(id=box.id).update(status="known")
    assert json.loads(dict(roster.news())[box.id])["state"] == "known", "the newer row goes over the older"


def test_who_has_the_list_is_told_so_and_gets_it_packed(lead: APIClient, library: Library, monkeypatch: Any) -> None:
    monkeypatch.setattr(engine(), "roster", Roster(library))
    first = lead.get("/api/devices")
    assert lead.get("/api/devices", headers={"If-None-Match": first["ETag"]}).status_code == 304
    packed = lead.get("/api/devices", headers={"Accept-Encoding": "gzip"})
    assert gzip.decompress(packed.content) == first.content
    Device.objects.filter(name="Car deck box").update(status="missing")
    again = lead.get("/api/devices", headers={"If-None-Match": first["ETag"]})
    assert again.status_code == 200
    assert again["ETag"] != first["ETag"]


class Rows:
    def __init__(self) -> None:
        self.waiting: list[tuple[str, bytes]] = []
        self.back: list[tuple[str, bytes]] = []

    def news(self) -> list[tuple[str, bytes]]:
        news, self.waiting = self.waiting, []
        return news

    def put_back(self, news: list[tuple[str, bytes]]) -> None:
        self.back += news


@pytest.fixture
def hub(transactional_db: None) -> EventHub:
    return EventHub(Rows())


async def told(hub: EventHub, place: Any) -> list[str]:
    """The kinds of what a stream gets."""
    return [
        line[7:] for data in await hub.after(place) for line in data.decode().split("\n") if line.startswith("event: ")
    ]


async def test_an_event_between_a_look_and_a_wait_is_not_missed(hub: EventHub) -> None:
    place = hub.begin(0)
    seen = hub.version
    assert await told(hub, place) == []
    hub.put("run", {"run": "a"})
    await hub.flush()  # just here: after the look, before the wait
    assert await hub.changed(seen, 5)
    assert await told(hub, place) == ["run"]


async def test_what_cannot_be_written_is_kept_in_order_and_told_later(hub: EventHub, monkeypatch: Any) -> None:
    rows: Any = hub._rows
    rows.waiting = [("d1", b"{}")]
    hub.put("run", {"run": "a"})

    def full(*_: Any, **__: Any) -> None:
        raise OSError("no space left on device")

    with monkeypatch.context() as patch:
        patch.setattr(Event.objects, "bulk_create", full)
        with pytest.raises(OSError, match="no space"):
            await hub.flush()
    hub.put("run", {"run": "b"})
    assert rows.back == [("d1", b"{}")]
    place = hub.begin(0)
    await hub.flush()
    runs = await hub.after(place)
    assert [b'"a"' in data for data in runs] == [True, False], "both, the older first"


async def test_a_quiet_server_looks_rarely_and_what_is_put_is_told_at_once(hub: EventHub, monkeypatch: Any) -> None:
    turns, looks = [-1], [0]

    async def turn(_: float) -> None:
        turns.append(turns[-1] + 1)
        if turns[-1] == 101:
            hub.put("run", {"run": "a"})
        assert turns[-1] < 200

    monkeypatch.setattr(hub._rows, "news", lambda: looks.append(turns[-1]) or [])
    monkeypatch.setattr("netloom_server.host.events.asyncio.sleep", turn)
    with pytest.raises(AssertionError):
        await hub.run()
    assert len([at for at in looks if 50 <= at < 101]) == 50 // CALM_TURNS
    assert set(range(101, 121)) <= set(looks), "at once, and as often as can be while something happens"


async def test_what_may_be_missed_does_not_crowd_out_what_may_not(hub: EventHub) -> None:
    place = hub.begin(0)
    for number in range(20_000):
        hub.put("sighting", {"n": number})
    hub.put("run", {"run": "a"})
    await hub.flush()
    kinds = await told(hub, place)
    assert kinds[0] == "run"
    assert 0 < kinds.count("sighting") <= 4000
    assert await Event.objects.acount() == 1, "what passes by is not written"


async def test_a_stream_that_was_away_reads_the_table_and_one_that_keeps_up_does_not(
    hub: EventHub, monkeypatch: Any
) -> None:
    away, here = hub.begin(0), hub.begin(0)
    for number in range(3):
        hub.put("lines", {"n": number})
        await hub.flush()
        assert await told(hub, here) == ["lines"]
    hub._hand.popleft()
    hub._hand_from += 1  # as when more than AT_HAND came since
    assert AT_HAND > 3
    assert await told(hub, away) == ["lines"] * 3
    monkeypatch.setattr("netloom_server.host.events._read", lambda last: pytest.fail("it reads the table"))
    assert await told(hub, here) == []
