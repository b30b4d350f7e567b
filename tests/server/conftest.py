"""A seeded installation in the test database, and callers of each role."""

from __future__ import annotations

from collections.abc import Iterator
from importlib import import_module
from pathlib import Path
from typing import Any

import pytest
from django.db import connection
from django.test import Client
from rest_framework.test import APIClient

from netloom_core.library.load import Library
from netloom_server.accounts.models import User
from netloom_server.demo import seed
from netloom_server.host.engine import engine
from netloom_server.installation.models import Device
from netloom_server.installation.services.roster import Roster
from netloom_server.runs.models import JournalEntry
from netloom_server.runs.services import journal
from tests.conftest import ROOT
from tests.server import conformance

migration = import_module("netloom_server.runs.migrations.0002_journal_append_only")


def _triggers(words: str) -> None:
    with connection.cursor() as cursor:
        for statement in words.split(";"):
            if statement.strip() and not statement.strip().startswith("END"):
                cursor.execute(statement + (";" if "BEGIN" not in statement else "; END;"))


@pytest.fixture
def lasting(transactional_db: None) -> Iterator[None]:
    """Records kept in earnest, so that threads see them; emptied afterwards, which the journal would refuse."""
    yield
    with connection.cursor() as cursor:
        for name in ("journal_no_update", "journal_no_delete"):
            cursor.execute(f"DROP TRIGGER IF EXISTS {name}")
    JournalEntry.objects.all().delete()
    _triggers(migration.TRIGGERS)


@pytest.fixture(autouse=True)
def as_described(monkeypatch: pytest.MonkeyPatch) -> None:
    """Whatever a test asks of the API, the answer is as the API's description says."""
    plain = Client.request

    def asked(self: Client, **request: Any) -> Any:
        answer = plain(self, **request)
        conformance.check(request["REQUEST_METHOD"], request["PATH_INFO"], answer)
        return answer

    monkeypatch.setattr(Client, "request", asked)


@pytest.fixture(autouse=True)
def own_witness(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    """What one test rolls back is not missing from the next one's journal."""
    monkeypatch.setattr(journal, "_path", lambda: tmp_path / "journal.head")
    monkeypatch.setattr(journal, "checked", journal.Checked())


@pytest.fixture(autouse=True)
def own_roster(library: Library, monkeypatch: pytest.MonkeyPatch) -> None:
    """What one test rolls back is not what the next one's list was rendered from."""
    monkeypatch.setattr(engine(), "roster", Roster(library))


@pytest.fixture
def site(db: None, library: Library, tmp_path: Path) -> None:
    seed(ROOT / "tests/sites/first_round.yaml", tmp_path, library)


@pytest.fixture
def whole_site(lasting: None, library: Library, tmp_path: Path) -> None:
    seed(ROOT / "tests/sites/first_round.yaml", tmp_path, library)


def caller(role: str) -> APIClient:
    client = APIClient()
    client.force_authenticate(User.objects.create_user(f"the-{role}", role=role))
    return client


@pytest.fixture
def lead(site: None) -> APIClient:
    return caller("lead")


@pytest.fixture
def technician(site: None) -> APIClient:
    return caller("technician")


@pytest.fixture
def viewer(site: None) -> APIClient:
    return caller("viewer")


def named(name: str) -> Device:
    return Device.objects.get(name=name)
