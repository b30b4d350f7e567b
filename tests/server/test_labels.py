"""A label is one fact: shown wherever its thing appears, decided on every device that can show it."""

from __future__ import annotations

from typing import Any

import pytest
from rest_framework.test import APIClient

from netloom_core.documents.tree import get
from netloom_core.library.load import Library
from netloom_server.installation.models import Device, Label, LabelPlace
from netloom_server.installation.services import decisions, fitting, naming

BOX, OTHER = "Ticket hall box", "Car deck box"


@pytest.fixture
def keypad(site: None) -> Device:
    return Device.objects.create(name="Alarm", profile="kestrel-ac3", taken_in=True)


def label(client: APIClient, device: str, axis: str, number: int, text: str, status: int = 200) -> Any:
    body = {"axis": axis, "number": number, "text": text}
    answer = client.put(f"/api/devices/{device}/label", body, format="json")
    assert answer.status_code == status, answer.content
    return answer.json()


def same(
    client: APIClient, status: int = 200, device: str = BOX, axis: str = "input", number: int = 2, **other: Any
) -> Any:
    body = {"axis": axis, "number": number, "other": "Alarm", "other_axis": "zone", "other_number": 1, **other}
    answer = client.post(f"/api/devices/{device}/same", body, format="json")
    assert answer.status_code == status, answer.content
    return answer.json()


def decided(device: str, path: str) -> Any:
    return get(Device.objects.get(name=device).intended, path)


def texts(client: APIClient, device: str) -> dict[tuple[str, int], str]:
    rows = client.get(f"/api/devices/{device}").json()["labels"]
    return {(row["axis"], row["number"]): row["text"] for row in rows if row["text"]}


def points(client: APIClient, device: str) -> dict[str, str]:
    return {row["short"]: row["label"] for row in client.get(f"/api/devices/{device}").json()["points"]}


def test_a_label_is_decided_where_the_device_keeps_one(technician: APIClient, viewer: APIClient) -> None:
    label(viewer, BOX, "relay", 3, "x", 403)
    label(technician, BOX, "relay", 3, "Gangway gate")
    assert decided(BOX, "/relays/3/name") == "Gangway gate"
    assert texts(viewer, BOX)["relay", 3] == "Gangway gate"
    assert points(viewer, BOX)["relay-3"] == "Relay 3: Gangway gate"


def test_one_that_keeps_none_is_labelled_here(technician: APIClient) -> None:
    Device.objects.create(name="Gateway", profile="tessaly-ir3", taken_in=True)
    label(technician, "Gateway", "port", 2, "Hall blinds")
    assert texts(technician, "Gateway") == {("port", 2): "Hall blinds"}
    assert Device.objects.get(name="Gateway").intended == {}
    label(technician, "Gateway", "port", 9, "x", 400)
    label(technician, "Gateway", "hatch", 1, "x", 400)
    label(technician, "Gateway", "port", 1, "   ", 400)


def test_what_is_one_thing_is_called_the_same_on_each_as_far_as_it_can_show_it(
    technician: APIClient, keypad: Device, library: Library
) -> None:
    label(technician, "Alarm", "zone", 1, "Café terrace door")
    assert decided("Alarm", "/zones/1/name") == "Café terrace", "twelve letters are all that it has"
    same(technician)
    assert decided(BOX, "/inputs/2/name") == "Café terrace door", "the other one shows all of it"
    [row] = [
        one
        for one in technician.get(f"/api/devices/{BOX}").json()["labels"]
        if one["axis"] == "input" and one["number"] == 2
    ]
    assert [(one["name"], one["axis"], one["number"]) for one in row["same"]] == [("Alarm", "zone", 1)]
    label(technician, BOX, "input", 2, "Terrace")
    assert decided("Alarm", "/zones/1/name") == "Terrace"
    # Decided as a setting, it is the same fact.
    decisions.set_intended([(BOX, "/inputs/2/name", "Quay door")], library, by="eve")
    assert decided("Alarm", "/zones/1/name") == "Quay door"
    assert Label.objects.get().text == "Quay door"
    decisions.set_intended([("Alarm", "/zones/1/name", "A"), (BOX, "/inputs/2/name", "B")], library, by="eve")
    assert (decided("Alarm", "/zones/1/name"), decided(BOX, "/inputs/2/name")) == ("A", "B"), "who says both means both"


def test_a_label_that_was_cut_is_not_taken_for_another_one(
    technician: APIClient, keypad: Device, library: Library
) -> None:
    label(technician, BOX, "input", 2, "Terrace door, left wing")
    same(technician, device="Alarm", axis="zone", number=1, other=BOX, other_axis="input", other_number=2)
    assert decided("Alarm", "/zones/1/name") == "Terrace door"
    decisions.set_intended([("Alarm", "/zones/1/name", "Terrace door")], library, by="eve")
    assert decided(BOX, "/inputs/2/name") == "Terrace door, left wing", "that is how the keypad shows it"


def test_parted_they_keep_what_they_are_called(technician: APIClient, keypad: Device) -> None:
    label(technician, "Alarm", "zone", 1, "Door")
    same(technician)
    place = LabelPlace.objects.get(axis="input")
    assert technician.delete(f"/api/labels/{place.id}").status_code == 204
    label(technician, "Alarm", "zone", 1, "Gate")
    assert (decided("Alarm", "/zones/1/name"), decided(BOX, "/inputs/2/name")) == ("Gate", "Door")
    assert technician.delete("/api/labels/99999").status_code == 404
    assert technician.delete("/api/labels/x").status_code == 404


def test_what_cannot_be_one_thing_is_told(technician: APIClient, keypad: Device) -> None:
    assert "same place" in same(technician, 400, other=BOX, other_axis="input", other_number=2)["error"]["message"]
    assert "called anything" in same(technician, 400, number=7)["error"]["message"]
    same(technician, 400, other_number=77)
    same(technician, 404, other="Nobody")
    assert not LabelPlace.objects.exists()


def test_three_of_a_kind_and_two_records_that_prove_to_be_one(
    technician: APIClient, keypad: Device, library: Library
) -> None:
    label(technician, "Alarm", "zone", 1, "Door")
    same(technician)
    same(technician, device=OTHER, axis="input", number=5, other=BOX, other_axis="input", other_number=2)
    assert Label.objects.count() == 1
    label(technician, OTHER, "input", 5, "Lock")
    assert decided("Alarm", "/zones/1/name") == decided(BOX, "/inputs/2/name") == "Lock"
    twin = Device.objects.create(name="Alarm again", profile="kestrel-ac3")
    LabelPlace.objects.create(label=Label.objects.create(text="Other", by="eve"), device=twin, axis="zone", number=1)
    LabelPlace.objects.create(label=Label.objects.create(text="Two", by="eve"), device=twin, axis="zone", number=2)
    fitting.merge(keypad, twin)
    kept = {place.number: place.label.text for place in keypad.labels.all()}
    assert kept == {1: "Lock", 2: "Two"}


def test_in_plain_letters_and_cut_at_a_word(library: Library) -> None:
    profile = library.need("harrack-h2")
    item = naming.item_of(profile, "door", 1)
    assert item is not None
    assert naming.fitted(item, "Café Ålesund, nördliche Tür") == "Cafe Alesund, no"
