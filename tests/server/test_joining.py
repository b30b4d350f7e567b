"""Joining: taken from the one that makes it, and checked against it afterwards."""

from __future__ import annotations

from typing import Any

import pytest
from rest_framework.test import APIClient

from netloom_core.documents.tree import get
from netloom_core.library.checks import problems
from netloom_core.library.load import Library
from netloom_core.profiles.profile import Profile
from netloom_server.base.sealing import unseal
from netloom_server.installation.models import Device, Joined, Secret
from netloom_server.installation.services import decisions, fitting, joining

PHRASE = "a long way to sea"


@pytest.fixture
def bridges(site: None, library: Library) -> tuple[Device, Device]:
    quay = Device.objects.create(name="Quay", profile="wendle-w1", taken_in=True)
    pier = Device.objects.create(name="Pier", profile="wendle-w1", taken_in=True)
    values = {"/network/mode": "make", "/network/channel": 6, "/network/name": "skerry", "/network/passphrase": PHRASE}
    decisions.set_intended([(quay.id, path, value) for path, value in values.items()], library, by="eve")
    return quay, pier


def told(client: APIClient, device: str) -> dict[str, Any]:
    [one] = client.get(f"/api/devices/{device}").json()["joins"]
    return dict(one)


def post(client: APIClient, device: str, to: str, status: int = 200, **more: Any) -> Any:
    answer = client.post(f"/api/devices/{device}/joins", {"to": to, **more}, format="json")
    assert answer.status_code == status, answer.content
    return answer.json()


def test_what_has_to_be_equal_is_taken_from_there(
    technician: APIClient, viewer: APIClient, bridges: tuple[Device, Device]
) -> None:
    post(viewer, "Pier", "Quay", 403)
    post(technician, "Pier", "Quay")
    pier = Device.objects.get(name="Pier")
    assert (get(pier.intended, "/network/name"), get(pier.intended, "/network/mode")) == ("skerry", "join")
    assert get(pier.intended, "/network/channel") == 0
    mine = str(get(pier.intended, "/network/passphrase"))
    kept = Secret.objects.get(device=pier, id=mine.removeprefix("secret:"))
    assert unseal(bytes(kept.secret)) == PHRASE
    assert kept.device_id == pier.id, "a secret of its own: the other one may change"
    one = told(viewer, "Pier")
    assert (one["to_name"], one["differs"], one["joined"]) == ("Quay", [], None)
    assert PHRASE not in str(viewer.get("/api/devices/Pier").json())


def test_a_change_on_one_side_is_told_on_the_other(
    technician: APIClient, bridges: tuple[Device, Device], library: Library
) -> None:
    post(technician, "Pier", "Quay")
    quay, pier = bridges
    decisions.set_intended(
        [(quay.id, "/network/passphrase", "another long one"), (quay.id, "/network/name", "sound")], library, by="eve"
    )
    assert told(technician, "Pier")["differs"] == [
        {"label": "Network name", "mine": "skerry", "theirs": "sound"},
        {"label": "Passphrase", "mine": "•••", "theirs": "•••"},
    ]
    post(technician, "Pier", "Quay")
    assert told(technician, "Pier")["differs"] == []
    assert technician.delete("/api/devices/Pier/joins?name=Wireless network").status_code == 204
    assert technician.delete("/api/devices/Pier/joins?name=Wireless network").status_code == 404
    assert told(technician, "Pier")["to"] is None
    assert get(Device.objects.get(id=pier.id).intended, "/network/name") == "sound", "what is decided stays"


def test_who_makes_nothing_is_not_joined(
    technician: APIClient, bridges: tuple[Device, Device], library: Library
) -> None:
    assert "makes none: Network mode is Joins a network there" in _other(technician, library)
    assert "not itself" in post(technician, "Quay", "Quay", 400)["error"]["message"]
    assert "joins nothing" in post(technician, "Ticket hall box", "Quay", 400)["error"]["message"]
    assert "has no Star" in post(technician, "Pier", "Quay", 400, name="Star")["error"]["message"]
    blind = Device.objects.create(name="Blind", profile="wendle-w1", taken_in=True)
    assert "Nobody knows Network name of Blind" in post(technician, "Pier", blind.id, 400)["error"]["message"]
    assert not Joined.objects.exists()
    assert Device.objects.get(name="Pier").intended == {}


def _other(client: APIClient, library: Library) -> str:
    other = Device.objects.create(name="Other", profile="wendle-w1", taken_in=True)
    decisions.set_intended([(other.id, "/network/mode", "join")], library, by="eve")
    return str(post(client, "Pier", "Other", 400)["error"]["message"])


def test_two_do_not_join_one_another(technician: APIClient, bridges: tuple[Device, Device], library: Library) -> None:
    quay, pier = bridges
    Joined.objects.create(device=quay, parent=pier, name="Wireless network", by="eve")
    assert post(technician, "Pier", "Quay", 409)["error"]["message"] == "Quay joins Pier already."
    Joined.objects.all().delete()
    post(technician, "Pier", "Quay")
    again = Device.objects.create(name="Quay again", profile="wendle-w1")
    fitting.merge(again, quay)
    assert told(technician, "Pier")["to"] == again.id


def test_what_the_device_says_is_its_proof(bridges: tuple[Device, Device], library: Library) -> None:
    profile = library.need("wendle-w1")
    for state, joined in (("up", True), ("down", False), ("", None)):
        [one] = joining.standing(bridges[1], profile, {}, {"link": state}, library)
        assert one["joined"] is joined


def test_a_join_of_what_is_not_there_is_no_profile(library: Library) -> None:
    base = library.need("wendle-w1").model_dump()
    bad = {
        "name": "X",
        "equal": {"/none": "/x"},
        "sets": {"/network/mode": "fly"},
        "proof": {"point": "link", "states": ["on"]},
    }
    said = list(problems(Profile.model_validate({**base, "joins": [bad, bad]})))
    for text in ("/none is no item", "'fly' is not one of", "has no such states", "two of that name"):
        assert any(text in one for one in said), text
