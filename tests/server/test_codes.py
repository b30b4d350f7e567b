"""Codes: whose are still the factory's, new ones for many, who looked at one."""

from __future__ import annotations

import re
from dataclasses import replace

import pytest
from django.utils import timezone
from rest_framework.test import APIClient

from netloom_core.documents.tree import get
from netloom_core.errors import RequestError
from netloom_core.library.load import Library
from netloom_server.base.problems import Conflict
from netloom_server.base.sealing import seal
from netloom_server.installation.models import Credential, Device
from netloom_server.installation.services import codes
from netloom_server.runs.models import JournalEntry
from tests.server.conftest import named

BOXES = ("Ticket hall box", "Car deck box", "Pier head box")


def boxes() -> list[Device]:
    Device.objects.filter(name__in=BOXES).update(seen=timezone.now())
    return [named(name) for name in BOXES]


def noted() -> list[tuple[str, str]]:
    return [(one.device, one.entry["message"]) for one in JournalEntry.objects.order_by("id") if one.kind == "act"]


def test_new_codes_are_random_differ_and_are_kept_as_secrets(technician: APIClient, viewer: APIClient) -> None:
    body = {"devices": [one.id for one in boxes()]}
    assert viewer.post("/api/codes", body, format="json").status_code == 403
    made = technician.post("/api/codes", body, format="json").json()["codes"]
    assert len({one["code"] for one in made}) == 3
    assert all(re.fullmatch("[a-z2-9]{12}", one["code"]) for one in made)
    assert [one["user"] for one in made] == ["admin"] * 3
    box = named(BOXES[0])
    assert str(get(box.intended, "/access/password")).startswith("secret:")
    assert made[0]["code"] not in str(box.intended) + str([one.entry for one in JournalEntry.objects.all()])
    assert noted() == [(one["device"], "A new code was decided, and shown once.") for one in made]


def test_codes_by_a_pattern_are_checked_all_or_none(site: None, library: Library) -> None:
    those = boxes()
    made = codes.give(those, "Skerry-{nn}-{random:4}", "eve", library)
    assert all(re.fullmatch(rf"Skerry-0{n}-[a-z2-9]{{4}}", one.code) for n, one in enumerate(made, 1))
    assert {one.code for one in codes.give(those, "the same one", "eve", library)} == {"the same one"}
    before = [one.intended for one in boxes()]
    with pytest.raises(Conflict, match="have the same code"):
        codes.give(those, "{kind}", "eve", library)
    with pytest.raises(RequestError, match="would have 3 letters; it takes 8 to 32"):
        codes.give(those, "{n}ab", "eve", library)
    with pytest.raises(RequestError, match="no code that can be set"):
        codes.give([*those, Device.objects.create(name="N", profile="farrow-ln2", taken_in=True)], "", "eve", library)
    assert [one.intended for one in boxes()] == before


def test_a_key_is_made_of_digits_whatever_the_pattern(site: None, library: Library) -> None:
    reader = Device.objects.create(name="Reader", profile="dunmarrow-dr5", taken_in=True)
    [made] = codes.give([reader], "", "eve", library)
    assert re.fullmatch("[0-9a-f]{32}", made.code)
    keypad = Device.objects.create(name="Alarm", profile="kestrel-ac3", taken_in=True)
    made_three = codes.give([keypad], "", "eve", library)
    assert [one.level for one in made_three] == ["user", "installer", "master"]
    assert all(re.fullmatch("[0-9]{8}", one.code) for one in made_three)


def test_whose_code_is_the_factorys_is_told(technician: APIClient, library: Library) -> None:
    box = boxes()[0]
    told = {one["name"]: one["code"] for one in technician.get("/api/devices").json()["devices"]}
    assert told[box.name] == "factory"
    Credential.objects.create(device=box, user="admin", secret=seal("another one"), set_by="eve")
    told = {one["name"]: one["code"] for one in technician.get("/api/devices").json()["devices"]}
    assert told[box.name] == "own"
    Credential.objects.filter(device=box).delete()
    told = {one["name"]: one["code"] for one in technician.get("/api/devices").json()["devices"]}
    assert told[box.name] == "factory"
    never = Device(name="x", profile=box.profile)
    assert codes.standing(never, library.get(box.profile), own=set()) == ""


def test_only_a_lead_looks_at_a_code_and_stands_in_the_journal(
    technician: APIClient, lead: APIClient, library: Library
) -> None:
    box = boxes()[0]
    url = f"/api/devices/{box.id}/code"
    assert lead.post(url).status_code == 400, "none is kept yet"
    [made] = codes.give([box], "", "eve", library)
    assert technician.post(url).status_code == 403
    assert noted() == []
    assert lead.post(url).json()["code"] == made.code, "decided, not written yet"
    Credential.objects.create(device=box, user="root", secret=seal("it lets in"), set_by="eve")
    assert lead.post(url).json() == {**replace(made, user="root", code="it lets in").__dict__}
    assert noted() == [(box.id, "Its code was looked at.")] * 2
