"""A seeded installation in the test database, and callers of each role."""

from __future__ import annotations

from pathlib import Path

import pytest
from rest_framework.test import APIClient

from netloom_core.profiles.load import Library
from netloom_server.accounts.models import User
from netloom_server.demo import seed
from netloom_server.installation.models import Device
from tests.conftest import ROOT


@pytest.fixture
def site(db: None, library: Library, tmp_path: Path) -> None:
    seed(ROOT / "tests/sites/first_round.yaml", tmp_path, library)


def caller(role: str) -> APIClient:
    client = APIClient()
    client.force_authenticate(User.objects.create_user(f"the-{role}", password="a long enough word", role=role))
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
