"""What people enter as a secret is kept encrypted; records, plans and answers have a reference to it."""

from __future__ import annotations

import pytest
from rest_framework.test import APIClient

from netloom_core.errors import KeyLost, RequestError
from netloom_core.library.load import Library
from netloom_core.model.secrets import MASK, is_reference, masked
from netloom_core.model.work import without_secrets
from netloom_core.profiles.profile import Profile
from netloom_server.base import sealing as secrets
from netloom_server.installation.models import Area, Change, Credential, Device, Line, Secret, Sighting, Unit
from netloom_server.installation.services import decisions, fitting, records
from tests.server.conftest import named

TEXT = "hunter2-and-more"


@pytest.fixture
def with_secret(library: Library) -> Library:
    base = library.need("hallvane-rx8").model_dump()
    base["items"] += [{"path": "/wifi/key", "label": "Key", "type": "secret", "kept": "always"}]
    return Library([Profile.model_validate(base)])


def test_a_secret_is_a_reference_and_is_not_pending_once_it_was_written(site: None, with_secret: Library) -> None:
    ticket = named("Ticket hall box")
    [decided] = decisions.set_intended([(ticket.id, "/wifi/key", TEXT)], with_secret, by="anna")
    reference = decided.intended["wifi"]["key"]
    assert is_reference(reference)
    kept = Secret.objects.get()
    assert (kept.set_by, TEXT.encode() in bytes(kept.secret)) == ("anna", False)
    [again] = decisions.set_intended([(ticket.id, "/wifi/key", reference)], with_secret)
    assert again.intended["wifi"]["key"] == reference, "saying the reference again makes no second secret"
    target = records.target_of(records.with_access([ticket.id])[ticket.id], with_secret)
    assert target.secrets == {reference: TEXT}
    assert TEXT not in repr(target)
    unit = fitting.unit_of(decided)
    unit.secrets = {"/wifi/key": reference}
    unit.save()
    assert "wifi" not in records.wanted_of(named("Ticket hall box"), with_secret.need("hallvane-rx8"))


def test_a_reference_to_a_secret_that_is_gone_is_never_taken_for_a_secret(site: None, with_secret: Library) -> None:
    ticket = named("Ticket hall box")
    [decided] = decisions.set_intended([(ticket.id, "/wifi/key", TEXT)], with_secret)
    reference = decided.intended["wifi"]["key"]
    Secret.objects.all().delete()
    with pytest.raises(RequestError, match="not the secret itself"):
        decisions.set_intended([(ticket.id, "/wifi/key", reference)], with_secret)
    assert not Secret.objects.exists()


def test_changes_are_shown_with_a_mask() -> None:
    told = without_secrets([{"path": "/wifi/key", "from": None, "to": "secret:abc", "read_back": None}])
    assert told[0]["to"] == MASK == masked("secret:abc")
    assert masked("plain") == "plain"


def test_one_that_cannot_be_decrypted_is_that_devices_trouble(
    site: None, library: Library, monkeypatch: pytest.MonkeyPatch
) -> None:
    ticket = named("Ticket hall box")
    Credential.objects.create(device=ticket, user="admin", secret=b"of another key", set_by="anna")
    target = records.target_of(records.with_access([ticket.id])[ticket.id], library)
    assert "cannot be decrypted" in target.trouble
    assert target.credentials == ()
    with pytest.raises(KeyLost):
        secrets.unseal(b"garbage")


# Nothing that people or sweeps made goes by a join


def test_all_that_was_made_of_a_record_moves_when_it_is_joined(technician: APIClient, library: Library) -> None:
    ticket = named("Ticket hall box")
    other = Device.objects.create(name="Found", taken_in=False, area=Area.objects.first())
    fitting.fit(other, Unit.objects.create(keys=["mac:02:00:00:00:00:01"]))
    line = Line.objects.create(name="Bus behind", kind="behind", parent=other)
    Sighting.objects.create(
        run="r", device=other, line=ticket.line, address="127.20.10.9", method="http", time="2026-01-01T00:00:00Z"
    )
    Credential.objects.create(device=other, user="admin", secret=b"x", set_by="anna")
    Change.objects.create(device=other, name="Found", line="l", address="a", what="came")
    joined = decisions.join(ticket, other)
    line.refresh_from_db()
    assert line.parent_id == joined.id
    assert joined.sightings.count() == 1
    assert Credential.objects.get().device_id == joined.id
    assert Change.objects.get().device_id == joined.id
    assert joined.was == [other.id or joined.was[0]]
    assert "mac:02:00:00:00:00:01" in joined.keys
    assert not Device.objects.filter(name="Found").exists()


def test_two_people_at_once_lose_nothing_of_each_other(technician: APIClient) -> None:
    """One renames it while a move was proven and another one decided a value."""
    ticket = named("Ticket hall box")
    stale = Device.objects.get(id=ticket.id)
    Device.objects.filter(id=ticket.id).update(address="127.20.10.77", intended={"name": "decided"})
    answer = technician.patch(f"/api/devices/{stale.id}", {"name": "Renamed"}, format="json")
    assert answer.status_code == 200
    ticket.refresh_from_db()
    assert (ticket.name, ticket.address, ticket.intended) == ("Renamed", "127.20.10.77", {"name": "decided"})
