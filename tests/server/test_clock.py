"""The computer's clock is put back a year: what comes afterwards is newer all the same."""

from __future__ import annotations

from datetime import timedelta

import pytest
from django.utils import timezone

from netloom_core.library.load import Library
from netloom_server.backups.models import Backup
from netloom_server.backups.services.backups import Keep, keep_backups
from netloom_server.base import moments
from netloom_server.installation.models import Device, Installation, Line
from netloom_server.installation.services.readings import Reading, save_readings
from netloom_server.installation.services.records import baseline_of
from netloom_server.papers.models import Paper
from netloom_server.papers.services import papers
from netloom_server.runs.models import Run
from netloom_server.runs.services.runs import due_sweep
from tests.server.conftest import named

YEAR = timedelta(days=365)


def read(device: Device, name: str, library: Library, when: timedelta = timedelta(0)) -> None:
    documents = {"running": {"name": name}, "startup": {"name": name}}
    save_readings([Reading(device.id, documents, None, timezone.now() + when)], library)


def test_a_reading_after_it_replaces_one_before_it(site: None, library: Library) -> None:
    device = named("Ticket hall box")
    read(device, "ahead", library, YEAR)
    before = named("Ticket hall box").running
    read(device, "now", library)
    assert named("Ticket hall box").running != before
    assert named("Ticket hall box").read <= moments.latest()


def test_older_knowledge_still_never_replaces_newer(site: None, library: Library) -> None:
    device = named("Ticket hall box")
    read(device, "newer", library)
    newer = named("Ticket hall box").running
    read(device, "older", library, timedelta(seconds=-5))
    assert named("Ticket hall box").running == newer


def test_the_baseline_in_force_is_the_one_approved_last(site: None, library: Library) -> None:
    device = named("Ticket hall box")
    read(device, "one", library)
    (first,) = keep_backups([Keep(device.id, "a", "nova", baseline=True)], library)
    Backup.objects.filter(id=first).update(taken=timezone.now() + YEAR)
    (second,) = keep_backups([Keep(device.id, "b", "nova", baseline=True)], library)
    assert baseline_of(device).id == second


def test_what_waits_for_a_power_cut_does_not_wait_for_a_year(site: None, library: Library) -> None:
    device = named("Ticket hall box")
    device.unit.bound = {"127.20.10.77": (timezone.now() + YEAR).timestamp()}
    device.unit.save()
    documents = {
        "running": {"network": {"address": device.address}},
        "startup": {"network": {"address": device.address}},
    }
    save_readings([Reading(device.id, documents, None, timezone.now())], library)
    assert named("Ticket hall box").unit.bound == {}


@pytest.mark.parametrize("ahead", [YEAR, -YEAR])
def test_watch_mode_goes_on(site: None, ahead: timedelta) -> None:
    assert Line.objects.exists()
    Installation.objects.update(watch_minutes=60)
    Run.objects.exclude(state="done").update(state="done")
    last = Run.objects.create(kind="sweep", by="watch", state="done")
    assert not due_sweep()
    Run.objects.filter(id=last.id).update(created=timezone.now() + ahead)
    assert due_sweep()


def test_the_newest_paper_is_the_one_asked_for_last(site: None) -> None:
    first = papers.ask("report", "nova")
    papers.settle(first, papers.Made(1, "x"))
    Paper.objects.filter(id=first.id).update(asked=timezone.now() + YEAR)
    second = papers.ask("report", "nova")
    assert papers.listed()[0]["id"] == str(second.id)
