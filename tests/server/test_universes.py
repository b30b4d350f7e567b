"""Universes of a network: who listens and sends there, what is proposed and decided, and the patch sheet both ways."""

from __future__ import annotations

import csv
import io
from typing import Any

import pytest
from django.utils import timezone
from rest_framework.test import APIClient

from netloom_core.documents.tree import get
from netloom_core.errors import RequestError
from netloom_core.library.load import Library
from netloom_server.backups.models import Document
from netloom_server.base.problems import Conflict
from netloom_server.installation.models import Area, Device, Line, Unit
from netloom_server.installation.services import decisions, places, universes
from tests.server.conftest import named
from tests.server.test_survey import net


def fitted(name: str, profile: str, address: str, **facts: Any) -> Device:
    told = {key: str(value) for key, value in facts.items()}
    unit = Unit.objects.create(serial=name, identity_key=f"serial:{name}", facts=told)
    return Device.objects.create(
        name=name, profile=profile, unit=unit, line=net(), address=address, taken_in=True, status="known",
        seen=timezone.now(),
    )  # fmt: skip


@pytest.fixture
def stage(site: None) -> Line:
    fitted("Stage node", "farrow-ln2", "127.20.10.31", universes="0 1")
    for n in range(1, 5):
        start = (1, 5, 7, 1)[n - 1]
        fitted(f"Wash {n}", "skellan-f6", f"127.20.10.31#7ff20001060{n}", universe=0, dmx=start, footprint=4,
               rdm_uid=f"7FF2:0001060{n}")  # fmt: skip
    return net()


def told(client: APIClient) -> dict[str, Any]:
    answer = client.get(f"/api/lines/{net().id}/universes")
    assert answer.status_code == 200
    found: dict[str, Any] = answer.json()
    return found


def test_who_listens_and_who_sends_is_told_of_what_was_found_and_decided(viewer: APIClient, stage: Line) -> None:
    all_ = told(viewer)
    assert [(one["number"], one["free"]) for one in all_["universes"]] == [(0, 502), (1, 512)]
    assert [(one["called"], one["universe"], one["now"]) for one in all_["outputs"]] == [
        ("Port A", 0, 0),
        ("Port B", 1, 1),
    ]
    washes = {one["name"]: one for one in all_["fixtures"]}
    assert (washes["Wash 2"]["start"], washes["Wash 2"]["last"], washes["Wash 2"]["heard"]) == (5, 8, 0)
    assert [one["slots"] for one in washes["Wash 1"]["personalities"]] == [1, 4, 8]


def test_proposals_are_decided_on_what_was_seen_and_told_before_they_are_written(
    technician: APIClient, viewer: APIClient, stage: Line, library: Library
) -> None:
    before = {(one.code, one.name) for one in places.Site(library).troubles() if one.code == "overlap"}
    assert before == {("overlap", f"Wash {n}") for n in range(1, 5)}
    devices = [named(f"Wash {n}").id for n in range(1, 5)]
    asked = technician.post("/api/universes/propose", {"devices": devices}, format="json").json()["proposals"]
    assert {one["name"]: one["start"] for one in asked} == {"Wash 1": 1, "Wash 2": 5, "Wash 3": 15, "Wash 4": 11}
    moved = [one for one in asked if not one["stays"]]
    given = [{name: one[name] for name in ("device", "universe", "start", "version")} for one in moved]
    assert viewer.post("/api/universes/decide", {"assignments": given}, format="json").status_code == 403
    stale = [given[0], {**given[1], "version": 99}]
    assert technician.post("/api/universes/decide", {"assignments": stale}, format="json").status_code == 409
    assert named("Wash 3").universe is None
    assert technician.post("/api/universes/decide", {"assignments": given}, format="json").status_code == 200
    assert get(named("Wash 4").intended, "/dmx/start") == 11
    assert not [one for one in places.Site(library).troubles() if one.code == "overlap"]
    again = technician.post("/api/universes/decide", {"assignments": given}, format="json")
    assert again.status_code == 409, "the version has moved on"


def test_another_personality_takes_other_slots(stage: Line, library: Library) -> None:
    universes.decide([(named("Wash 1").id, {"personality": "fine"})], {}, library)
    site = places.Site(library).universes(stage.id)
    [one] = [one for one in site.fixtures if one.name == "Wash 1"]
    assert (one.slots, one.takes, one.last) == (8, 4, 8)
    universes.decide([(one.device, {"universe": 7, "shares": " Left "})], {}, library)
    told_ = {(trouble.code, trouble.message) for trouble in places.Site(library).troubles() if trouble.name == "Wash 1"}
    assert ("other-universe", "Its port sends universe 0, and it is planned in 7.") in told_
    assert named("Wash 1").shares == "Left"
    universes.decide([(one.device, {"universe": None, "start": None, "personality": None})], {}, library)
    assert named("Wash 1").universe is None
    assert named("Wash 1").intended == {}


def test_what_cannot_be_is_refused_in_words_and_nothing_is_decided(stage: Line, library: Library) -> None:
    node = named("Stage node")
    with pytest.raises(RequestError, match="listens to no universe"):
        universes.decide([(named("Wash 1").id, {"universe": 3}), (node.id, {"universe": 3})], {}, library)
    assert named("Wash 1").universe is None
    with pytest.raises(RequestError, match="no device"):
        universes.decide([("gone", {"universe": 3})], {}, library)
    with pytest.raises(Conflict, match="needs another net or sub-net"):
        universes.port_sends(node, "/ports/2/universe", 17, {}, library)
    with pytest.raises(RequestError, match="no such port"):
        universes.port_sends(node, "/ports/9/universe", 3, {}, library)
    universes.port_sends(node, "/ports/2/universe", 3, {}, library)
    outputs = places.Site(library).universes(stage.id).outputs
    assert [(one.label, one.universe, one.now) for one in outputs] == [("Port A", 0, 0), ("Port B", 3, 1)]


def test_two_nodes_on_one_universe_are_told_unless_that_is_meant(
    technician: APIClient, stage: Line, library: Library
) -> None:
    fitted("Roof node", "farrow-ln2", "127.20.10.32", universes="1 2")
    assert not [one for one in places.Site(library).troubles() if one.code == "sent-twice"], "nobody hangs there"
    for n in (1, 2):
        fitted(f"Roof {n}", "tamsel-k1", f"127.20.10.3{n}#7ff30002106{n}", universe=1, dmx=n, footprint=1)
    found = {one.name for one in places.Site(library).troubles() if one.code == "sent-twice"}
    assert found == {"Stage node", "Roof node"}
    rules = {"universes": [{"number": 1, "name": "Roof", "twice": True}]}
    put = technician.put(f"/api/lines/{stage.id}/rules", {"rules": rules, "seen": {}}, format="json")
    assert put.json()["rules"] == rules
    assert not [one for one in places.Site(library).troubles() if one.code == "sent-twice"]
    assert [one["name"] for one in told(technician)["universes"]] == ["", "Roof", ""]


def sheet(client: APIClient, text: str, decide: bool = False) -> Any:
    url = f"/api/lines/{net().id}/patch/patch.csv{'?decide=1' if decide else ''}"
    named_ = "attachment; filename=p.csv"
    body = text.encode()
    return client.post(url, body, content_type="application/octet-stream", HTTP_CONTENT_DISPOSITION=named_)


def test_the_sheet_goes_out_and_comes_back(technician: APIClient, stage: Line, library: Library) -> None:
    text = technician.get(f"/api/lines/{stage.id}/patch/patch.csv").content.decode()
    rows = list(csv.DictReader(io.StringIO(text)))
    assert [(one["fixture"], one["start"], one["uid"], one["node"]) for one in rows][:2] == [
        ("Wash 1", "1", "7FF2:00010601", "Stage node"), ("Wash 4", "1", "7FF2:00010604", "Stage node"),
    ]  # fmt: skip
    assert not [row for row in sheet(technician, text).json()["rows"] if row["changes"] or row["problem"]]
    changed = text.replace("Wash 4,Skellan F6,,0,1,", "Wash 4,Skellan F6,,0,100,")
    changed += "Wash 9,Skellan F6,Quay,5,20,,,1: dimmer only,,,,,\nWash 10,Skellan F6,,5,20,,,,,,,,\n"
    changed += "Ticket hall box,F6,,5,90,,,,,,,,\n"
    looked = {row["name"]: row for row in sheet(technician, changed).json()["rows"]}
    assert looked["Wash 4"]["changes"] == {"start": "100"}
    assert looked["Wash 10"]["problem"] == "20 to 23 of universe 5 meets Wash 9, 20 to 20."
    assert "another line, or no fixture" in looked["Ticket hall box"]["problem"]
    good = changed.replace("Wash 10,Skellan F6,,5,20", "Wash 10,Skellan F6,,5,30").replace("Ticket hall box", "Wash 4")
    done = sheet(technician, good, decide=True).json()
    assert done["decided"] == 3
    new = named("Wash 9")
    assert (new.universe, new.intended, new.taken_in, new.unit) == (
        5, {"dmx": {"start": 20, "personality": "dim"}}, True, None,
    )  # fmt: skip
    assert new.area == Area.objects.get(name="Quay")
    assert get(named("Wash 4").intended, "/dmx/start") == 100
    assert sheet(technician, good, decide=True).status_code == 409
    codes = {(one.code, one.name) for one in places.Site(library).troubles()}
    assert ("no-sender", "Wash 9") in codes


def test_a_fixture_that_is_joined_keeps_what_was_planned(stage: Line, library: Library) -> None:
    planned = Device.objects.create(name="Wash 5", profile="skellan-f6", line=net(), taken_in=True)
    universes.decide([(planned.id, {"universe": 4, "start": 60})], {}, library)
    found = fitted("F6", "skellan-f6", "127.20.10.31#7ff200010605", universe=0, dmx=1, footprint=4)
    Device.objects.filter(id=found.id).update(taken_in=False)
    decisions.take_in(Device.objects.get(id=found.id), "", None, planned.id, library)
    here = [one for one in places.Site(library).universes(stage.id).fixtures if one.name == "Wash 5"]
    assert [(one.universe, one.start, one.heard, one.at) for one in here] == [(4, 60, 0, 1)]


def test_only_slots_that_wait_are_told_as_such(stage: Line, library: Library) -> None:
    wash = named("Wash 2")
    document = {"label": "F6", "dmx": {"start": 5, "personality": "rgbw"}}
    wash.unit.running, wash.unit.read = Document.keep(document), timezone.now()
    wash.unit.save()
    decisions.set_intended([(wash.id, "/label", "left")], library)
    assert (named("Wash 2").counts["pending"], named("Wash 2").counts["place"]) == (1, 0)
    universes.decide([(wash.id, {"start": 60})], {}, library)
    assert (named("Wash 2").counts["pending"], named("Wash 2").counts["place"]) == (2, 1)
