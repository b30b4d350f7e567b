"""The engine's windows on the records: they pass the core's examiners, also with many at once."""

from __future__ import annotations

import threading
from datetime import UTC, datetime, timedelta

import pytest
from asgiref.sync import sync_to_async
from django.db import connections
from django.utils import timezone

from netloom_core.backup.verify import verify
from netloom_core.engine.ports import EventSink
from netloom_core.errors import NetloomError, StoreTrouble
from netloom_core.library.load import Library
from netloom_core.model.work import StepState
from netloom_core.profiles.defaults import default_document
from netloom_core.testing.check_journal import check_journal
from netloom_core.testing.check_store import check_store
from netloom_core.testing.store import MemoryEvents
from netloom_server.base.crossing import in_records
from netloom_server.host.journal import RecordJournal
from netloom_server.host.store import RecordStore
from netloom_server.installation.models import Device
from netloom_server.runs.models import Lease, Run
from netloom_server.runs.services import journal
from netloom_server.runs.services.runs import create_run, create_sweep

EVENTS: EventSink = MemoryEvents()


@pytest.mark.django_db(transaction=True)
async def test_the_journal_passes_the_examiner(whole_site: None) -> None:
    await check_journal(RecordJournal())
    assert await sync_to_async(journal.broken_at)() is None


@pytest.mark.django_db(transaction=True)
async def test_the_store_passes_the_examiner(whole_site: None, library: Library) -> None:
    ids = dict(await sync_to_async(lambda: list(Device.objects.values_list("name", "id")))())

    async def begin(kind: str, steps: list[StepState]) -> str:
        return (await sync_to_async(create_run)(kind, "examiner", {}, steps)).id

    document = default_document(library.need("hallvane-rx8"))
    now = datetime.now(UTC).timestamp()
    store = RecordStore(library, EVENTS)
    await check_store(store, begin, ids["Ticket hall box"], ids["Car deck box"], document, now)


@pytest.mark.django_db(transaction=True)
async def test_a_proof_is_as_old_as_its_reading(whole_site: None, library: Library) -> None:
    """Of a run that was cut off, and concluded when the server was there again."""
    store, ident = RecordStore(library, EVENTS), (await Device.objects.aget(name="Ticket hall box")).id
    document, then = default_document(library.need("hallvane-rx8")), timezone.now() - timedelta(hours=9)
    await store.devices.save_reading(ident, {"running": document, "startup": document}, None, then.timestamp())
    await store.proofs.save_backup(ident, "run", "examiner", baseline=True)
    for trouble, word in (("", "match"), ("It does not answer.", "unreachable")):
        await store.proofs.save_proof(ident, verify((await store.proofs.evidence([ident]))[ident], trouble=trouble))
        device = await Device.objects.aget(id=ident)
        assert device.proof["result"] == word
        assert device.proven is not None
        assert abs(device.proven - (timezone.now() if trouble else then)) < timedelta(minutes=1)


@pytest.mark.django_db(transaction=True)
async def test_trouble_of_the_database_is_trouble_of_the_store(whole_site: None) -> None:
    from django.db.utils import OperationalError

    def locked() -> None:
        raise OperationalError("database is locked")

    with pytest.raises(StoreTrouble, match="database is locked"):
        await in_records(locked)


@pytest.mark.django_db(transaction=True)
@pytest.mark.parametrize("kind", ["apply", "sweep"])
def test_of_many_at_once_one_gets_the_device(whole_site: None, kind: str) -> None:
    ident = Device.objects.get(name="Ticket hall box").id
    got: list[str] = []
    refused: list[str] = []
    begin = threading.Barrier(8)

    def want() -> None:
        begin.wait()
        try:
            steps = [StepState(0, ident, "write")]
            got.append((create_run(kind, "t", {}, steps) if kind == "apply" else create_sweep("t", {})).id)
        except NetloomError as error:
            refused.append(error.code)
        finally:
            connections.close_all()

    threads = [threading.Thread(target=want) for _ in range(8)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert (len(got), refused) == (1, ["conflict"] * 7)
    assert Run.objects.filter(kind=kind).count() == 1


def test_leases_that_a_crash_left_are_given_back(site: None) -> None:
    from netloom_server.runs.services.runs import unfinished

    ident = Device.objects.get(name="Ticket hall box").id
    run = create_run("apply", "t", {}, [StepState(0, ident, "write")])
    assert unfinished() == [run.id]
    Run.objects.filter(id=run.id).update(state="done", ended=timezone.now())
    assert unfinished() == []
    assert not Lease.objects.exists()
