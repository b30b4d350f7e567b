"""Settings found over the whole installation."""

from __future__ import annotations

import pytest
from rest_framework.test import APIClient

from netloom_core.documents.tree import put
from netloom_core.library.load import Library
from netloom_core.profiles.defaults import default_document
from netloom_server.backups.models import Document
from netloom_server.installation.models import Device
from netloom_server.installation.services.search import find_settings


@pytest.fixture
def read(technician: APIClient, library: Library) -> None:
    """Two boxes that were read: one with a long pulse and a name, one as it comes from its factory."""
    for name, values in (
        ("Ticket hall box", {"/relays/1/pulse_ms": 3500, "/relays/2/name": "Door chime"}),
        ("Car deck box", {}),
    ):
        device = Device.objects.get(name=name)
        document = default_document(library.need(device.profile))
        for path, value in values.items():
            put(document, path, value)
        device.unit.running = Document.keep(document)
        device.unit.save()


def hits(text: str, library: Library) -> list[tuple[str, str, str]]:
    return [(one["name"], one["path"], one["value"]) for one in find_settings(text, library)[0]]


def test_by_label_with_a_comparison(read: None, library: Library) -> None:
    assert hits("pulse > 3000", library) == [("Ticket hall box", "/relays/1/pulse_ms", "3500 ms")]
    assert find_settings("pulse", library)[1] == 16, "every relay of both"
    assert hits("PULSE   relays/1 >= 3,5", library)[0][1] == "/relays/1/pulse_ms"


def test_by_value_and_by_word(read: None, library: Library) -> None:
    assert hits("chime", library) == [("Ticket hall box", "/relays/2/name", "Door chime")]
    assert hits("relays/2 name = door chime", library) == [("Ticket hall box", "/relays/2/name", "Door chime")]


@pytest.mark.parametrize("text", ["", "   ", ">", "pulse > soon", "nothing like that", "\x00", "=" * 300, "> > 1"])
def test_what_finds_nothing(read: None, library: Library, text: str) -> None:
    assert find_settings(text, library) == ([], 0)


def test_the_answer_is_as_described(read: None, technician: APIClient) -> None:
    told = technician.get("/api/find", {"q": "idle"}).json()
    assert told["count"] == len(told["settings"]) == 16
    assert {one["label"].split(":")[0] for one in told["settings"]}
