"""Profiles of one's own: checked apart, added by leads, taken before those that ship, and given back."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from rest_framework.test import APIClient

from netloom_server.host.engine import engine
from netloom_server.installation.models import Device, OwnProfile
from netloom_server.installation.services import profiles
from tests.conftest import ROOT, shipped
from tests.server.conftest import named

RX8 = (ROOT / "profiles/hallvane/rx8.yaml").read_text()
MINE = """
format: 2
id: workshop-box
maker: Workshop
model: B1
kind: box
channels: {talk: {protocol: dialogue, over: tcp, port: 7007, identify: [{send: who, answer: "(?P<serial>\\\\w+)"}]}}
items:
  - path: /level
    label: Level
    type: {is: integer, maximum: 9}
    bind: {talk: {ask: l, answer: "(?P<value>\\\\d)", set: "l {value}"}}
"""


@pytest.fixture(autouse=True)
def as_it_was() -> Iterator[None]:
    yield
    library = engine().library
    for profile in shipped():
        if library.get(profile.id) is not profile:
            library.put(profile)
    library.drop("workshop-box")


def body(text: str, name: str = "mine.yaml") -> dict[str, str]:
    return {"name": name, "text": text}


def test_a_check_keeps_nothing(technician: APIClient) -> None:
    told = technician.post("/api/profiles/check", body(MINE), format="json").json()
    assert (told["id"], told["values"], told["able"]) == ("workshop-box", 1, {"talk": ["identify", "read", "write"]})
    assert engine().library.get("workshop-box") is None
    assert not OwnProfile.objects.exists()


def test_only_a_lead_adds_and_takes_away(technician: APIClient, viewer: APIClient) -> None:
    for who in (technician, viewer):
        assert who.post("/api/profiles", body(MINE), format="json").status_code == 403
        assert who.delete("/api/profiles/hallvane-rx8").status_code == 403
    assert viewer.post("/api/profiles/check", body(MINE), format="json").status_code == 403


def test_an_added_one_is_known_at_once_and_gone_again(lead: APIClient) -> None:
    assert lead.post("/api/profiles", body(MINE), format="json").status_code == 201
    found = {one["id"]: one for one in lead.get("/api/profiles").json()}
    assert (found["workshop-box"]["own"], found["workshop-box"]["added_by"]) == (True, "the-lead")
    assert found["hallvane-rx8"]["own"] is False
    assert profiles.library().get("workshop-box") is not None, "and after a restart, too"
    assert lead.delete("/api/profiles/workshop-box").status_code == 204
    assert engine().library.get("workshop-box") is None
    assert lead.delete("/api/profiles/workshop-box").status_code == 404


def test_one_that_replaces_a_shipped_one_leaves_the_documents(lead: APIClient) -> None:
    before = named("Ticket hall box").intended
    changed = RX8.replace("kind: relay and input box", "kind: box of the workshop")
    told = lead.post("/api/profiles", body(changed, "rx8.yaml"), format="json").json()
    assert told["replaces"] == "RX8"
    device = Device.objects.get(name="Ticket hall box")
    assert device.intended == before
    shown = lead.get(f"/api/devices/{device.id}").json()
    assert shown["kind"] == "box of the workshop"
    lead.delete("/api/profiles/hallvane-rx8")
    assert lead.get(f"/api/devices/{device.id}").json()["kind"] == "relay and input box"


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "blank"),
        ("[1, 2", "not YAML"),
        ("a: &x [1]\nb: *x", "aliases"),
        ("format: 1", "form 1"),
        (MINE.replace("protocol: dialogue", "protocol: smoke"), "smoke"),
        (MINE.replace("(?P<value>\\\\d)", "(?P<value>(\\\\d+)+)"), "for ever"),
        (MINE.replace("path: /level", 'path: "/{n}/level"'), "counts by n"),
        (MINE.replace("maximum: 9", "maximum: nine"), "maximum"),
        (MINE + "standard: {methods: [snmp]}\n", "standard"),
        (MINE.replace("id: ", "id: standard-"), "standard"),
        (MINE.replace("id: ", "id: standard-") + "standard: {methods: [snmp]}\n", "not for a model"),
        ("x" * 300_000, "no keys"),
        ("[" * 5000, "large or too entangled|not YAML"),
        (MINE + "axes: {n: 1024, m: 1024}\n".replace("\n", "") + "\n", "id"),
    ],
)
def test_what_is_no_profile_is_told_with_its_trouble(lead: APIClient, text: str, words: str) -> None:
    import re

    answer = lead.post("/api/profiles", body(text), format="json")
    if words == "id":
        assert answer.status_code == 201, "axes that nothing counts by cost nothing"
        return
    assert answer.status_code in (400, 422), answer.content[:300]
    assert re.search(words, answer.json()["error"]["message"]), answer.json()
    assert not OwnProfile.objects.exists()


def test_a_trial_outside_of_the_line_is_refused(technician: APIClient, tmp_path: Path) -> None:
    trial = {**body(MINE), "line": "Terminal network", "address": "192.0.2.1"}
    answer = technician.post("/api/profiles/try", trial, format="json")
    assert answer.status_code in (400, 422)
    assert "no address on" in answer.json()["error"]["message"]
