"""Records through the API: lines, devices, decisions, backups; and what is refused."""

import pytest
from django.db import DatabaseError, connection, transaction
from django.utils import timezone
from rest_framework.test import APIClient

from netloom_core.absence.explain import Absent
from netloom_core.library.load import Library
from netloom_core.model import work
from netloom_core.model.sighting import Reason, Sighting
from netloom_core.sweep.identity import fuse
from netloom_core.sweep.sweep import SweepResult
from netloom_server.backups.models import Backup
from netloom_server.backups.services import backups as services
from netloom_server.installation.models import Device, Line, Unit
from netloom_server.installation.services import records, sweeping
from netloom_server.installation.services.fitting import fit
from netloom_server.runs.models import JournalEntry
from netloom_server.runs.services import journal
from tests.server.conftest import named


def post(client: APIClient, url: str, body: object, status: int = 200) -> dict:
    answer = client.post(url, body, format="json")
    assert answer.status_code == status, answer.content
    return answer.json()


def error(client: APIClient, url: str, body: object, status: int) -> dict:
    told = post(client, url, body, status)["error"]
    assert told["message"], "an error says what happened"
    return told


def values(client: APIClient, changes: list, status: int = 200, **more: object) -> dict:
    return post(client, "/api/intended", {"changes": changes, **more}, status)


def one(device: str, path: str, value: object) -> dict:
    return {"device": device, "path": path, "value": value}


# Lines


@pytest.mark.parametrize(
    ("body", "status", "words"),
    [
        ({"kind": "ip", "network": "not a net"}, 400, "not a network"),
        ({"kind": "ip"}, 400, "not a network"),
        ({"kind": "ip", "network": "127.0.0.0/8"}, 400, "more than"),
        ({"kind": "ip", "network": "127.20.10.128/25"}, 409, "overlaps the line Terminal network"),
        ({"kind": "ip", "network": "203.0.113.0/24"}, 400, "no address in"),
        ({"kind": "serial", "path": "/dev/no-such-port"}, 502, "does not exist"),
        ({"kind": "serial", "path": "ttyUSB0"}, 400, "whole path"),
        ({"kind": "serial", "path": "/dev/null", "speed": 1}, 400, "speed"),
        ({"kind": "ip", "network": "127.30.0.0/24", "name": "gate BUS"}, 409, "named"),
    ],
)
def test_lines_that_cannot_be(technician: APIClient, body: dict, status: int, words: str) -> None:
    assert words in error(technician, "/api/lines", body, status)["message"]
    assert Line.objects.count() == 2


def test_a_line_is_added_and_removed_by_a_lead(technician: APIClient, lead: APIClient) -> None:
    made = post(technician, "/api/lines", {"kind": "ip", "network": "127.30.1.0/24", "name": "Annex"}, 201)
    assert (made["source"], made["interface"]) == ("127.30.1.1", "lo")
    assert technician.delete(f"/api/lines/{made['id']}").status_code == 403
    assert lead.delete(f"/api/lines/{made['id']}").status_code == 204
    used = Line.objects.get(name="Gate bus")
    assert lead.delete(f"/api/lines/{used.id}").status_code == 409


# Devices


def test_a_device_is_found_by_any_of_its_names(technician: APIClient) -> None:
    device = named("Ticket hall box")
    for word in (device.id, "ticket HALL box", "hv-40117", "127.20.10.11", "127.20.10.11@Terminal network"):
        assert technician.get(f"/api/devices/{word}").json()["id"] == device.id
    assert technician.get("/api/devices/nobody").status_code == 404


def test_a_word_that_fits_two_is_refused(technician: APIClient) -> None:
    fit(Device.objects.create(name="Twin", taken_in=True), Unit.objects.create(serial="HV-40117"))
    told = technician.get("/api/devices/HV-40117").json()["error"]
    assert "Twin" in told["message"]
    assert "id in brackets" in told["try"]


def test_planning_without_hardware(technician: APIClient) -> None:
    body = {"name": "Ramp box", "profile": "hallvane-rx8", "line": "Terminal network", "address": "127.20.10.30"}
    made = post(technician, "/api/devices", body, 201)
    assert (made["state"], made["planned_address"]) == ("planned", "127.20.10.30")
    taken = {**body, "name": "Second", "address": "127.20.10.11"}
    assert "Ticket hall box" in error(technician, "/api/devices", taken, 409)["message"]
    assert not Device.objects.filter(name="Second").exists(), "a refused plan leaves nothing behind"


# Decisions


def test_decided_values_are_checked_and_kept_sparse(technician: APIClient) -> None:
    values(technician, [one("Car deck box", "/relays/3/idle", "Closed")])
    intended = technician.get("/api/devices/Car deck box").json()["intended"]
    assert intended["relays"]["3"] == {"idle": "closed"}


@pytest.mark.parametrize(
    ("path", "value", "status", "code"),
    [
        ("/relays/3/pulse_ms", 1, 400, "out-of-range"),
        ("/relays/9/idle", "open", 400, "unknown-setting"),
        ("idle", "open", 400, "unknown-setting"),
        ("/network/address", "127.20.10.11", 409, "address-taken"),
        ("/network/address", "127.20.10.13", 409, "address-taken"),
        ("/network/address", "127.20.11.9", 400, "address-outside"),
        ("/network/address", {"a": 1}, 400, "out-of-range"),
    ],
)
def test_bad_values_change_nothing(technician: APIClient, path: str, value: object, status: int, code: str) -> None:
    before = named("Car deck box")
    good = one("Car deck box", "/relays/1/idle", "closed")
    told = values(technician, [good, one("Car deck box", path, value)], status)["error"]
    assert told["code"] == code
    assert told["try"]
    after = named("Car deck box")
    assert (after.intended, after.version) == (before.intended, before.version), "all or none"


def test_the_second_of_two_people_is_told(technician: APIClient, lead: APIClient) -> None:
    device = named("Car deck box")
    values(technician, [one(device.id, "/name", "first")], versions={device.id: device.version})
    told = values(lead, [one(device.id, "/name", "second")], 409, versions={device.id: device.version})["error"]
    assert "Somebody else changed Car deck box" in told["message"]
    assert named("Car deck box").intended["name"] == "first"


def test_forgetting_a_decision(technician: APIClient) -> None:
    values(technician, [{"device": "Car deck box", "path": "/name", "forget": True}])
    assert "name" not in named("Car deck box").intended


def test_two_devices_are_not_given_one_address(technician: APIClient) -> None:
    body = {"assignments": [{"device": d, "address": "127.20.10.50"} for d in ("Car deck box", "Ticket hall box")]}
    assert "given to both" in error(technician, "/api/addresses", body, 409)["message"]


def test_two_change_places_at_once_or_one_after_the_other(technician: APIClient) -> None:
    one, other = named("Car deck box"), named("Ticket hall box")
    places = {one.name: other.address, other.name: one.address}
    alone = {"assignments": [{"device": one.name, "address": other.address}]}
    assert f"belongs to {other.name}" in error(technician, "/api/addresses", alone, 409)["message"]
    both = {"assignments": [{"device": name, "address": address} for name, address in places.items()]}
    told = post(technician, "/api/addresses", both)["devices"]
    assert {row["name"]: row["planned_address"] for row in told} == places
    back = [{"device": other.name, "path": "/network/address", "forget": True}]
    answer = technician.post("/api/intended", {"changes": back}, format="json").json()["error"]
    assert f"is planned for {one.name}" in answer["message"], "it may not stay while the other one is to come"
    stay = [{"device": d.name, "path": "/network/address", "forget": True} for d in (one, other)]
    values(technician, stay)
    away = {"assignments": [{"device": other.name, "address": "127.20.10.66"}]}
    post(technician, "/api/addresses", away)
    post(technician, "/api/addresses", alone)
    stranger = {"assignments": [{"device": "Pier head box", "address": other.address}]}
    assert f"is planned for {one.name}" in error(technician, "/api/addresses", stranger, 409)["message"]


# What a sweep puts on record


def sweep_of(*sightings: Sighting, missing: list[Absent], library: Library) -> list:
    known = records.known_of(Device.objects.all())
    result = SweepResult(fuse(sightings, known, library), list(sightings))
    pairs = sweeping.record("run1", [Line.objects.get(name="Terminal network").id], result, library)
    sweeping.record_missing(missing, timezone.now())
    return pairs


def at(address: str, serial: str) -> Sighting:
    line = Line.objects.get(name="Terminal network").id
    return Sighting(line, address, "http", 1e9, {"maker": "Hallvane", "model": "RX8", "serial": serial})


def test_a_sweep_knows_moves_and_misses(technician: APIClient, library: Library) -> None:
    pier = named("Pier head box")
    absent = Absent(pier.id, pier.line_id, (Reason("It is not there.", "Look."),))
    sweep_of(at("127.20.10.77", "HV-40117"), at("127.20.10.90", "HV-9"), missing=[absent], library=library)
    ticket = named("Ticket hall box")
    assert (ticket.status, ticket.address) == ("moved", "127.20.10.77")
    assert named("Pier head box").reasons == [absent.reasons[0].as_dict()]
    fresh = Device.objects.get(unit__serial="HV-9")
    assert (fresh.taken_in, fresh.status) == (False, "new")
    sweep_of(at("127.20.10.91", "HV-9"), missing=[], library=library)
    assert Device.objects.get(unit__serial="HV-9").id == fresh.id, "the same one, at its new address"
    shown = technician.get(f"/api/devices/{fresh.id}").json()
    assert {sighting["address"] for sighting in shown["sightings"]} == {"127.20.10.90", "127.20.10.91"}


def test_evidence_is_bounded_and_the_newest_stays(
    site: None, library: Library, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(sweeping, "KEEP_SIGHTINGS_PER_DEVICE", 3)
    for host in range(20, 26):
        sweep_of(at(f"127.20.10.{host}", "HV-40117"), at("127.20.10.90", "HV-9"), missing=[], library=library)
    newest = [s.address for s in named("Ticket hall box").sightings.order_by("-id")]
    assert newest == ["127.20.10.25", "127.20.10.24", "127.20.10.23"]


def test_a_found_one_takes_the_place_of_a_planned_one(site: None, library: Library) -> None:
    from netloom_server.installation.services.decisions import take_in

    sweep_of(at("127.20.10.200", "HV-9"), missing=[], library=library)
    taken = take_in(Device.objects.get(unit__serial="HV-9"), "", None, "Pier head box", library)
    assert (taken.name, taken.serial, taken.address) == ("Pier head box", "HV-9", "127.20.10.200")
    assert taken.intended["network"]["address"] == "127.20.10.13", "its plan stays"
    assert Device.objects.filter(unit__serial="HV-9").count() == 1


# Backups and journal


def test_an_archive_comes_back_without_overwriting(lead: APIClient) -> None:
    archive = services.to_archive(list(Backup.objects.all()))
    count = Backup.objects.count()
    assert services.from_archive(archive) == (0, count)
    gone = Backup.objects.first()
    ident, device = gone.id, gone.device_id
    gone.delete()
    assert services.from_archive(archive) == (1, count - 1)
    back = Backup.objects.get(id=ident)
    assert not back.baseline, "approving is a person's act"
    assert back.device_id == device, "joined by maker and serial number"


def test_a_damaged_upload_is_refused(lead: APIClient) -> None:
    answer = lead.generic(
        "POST", "/api/backups/import/a.zip", b"PK not really", content_type="application/zip",
        HTTP_CONTENT_DISPOSITION="attachment; filename=a.zip",
    )  # fmt: skip
    assert answer.status_code == 422
    assert answer.json()["error"]["code"] == "archive-damaged"


def test_two_backups_are_compared(technician: APIClient) -> None:
    first = Backup.objects.get(name="Ticket hall box")
    second = Backup.objects.get(name="Car deck box")
    answer = technician.get("/api/backups/compare", {"first": first.id, "second": second.id}).json()
    assert {"path": "/name", "first": "ticket-hall", "second": "car-deck"} in answer["differences"]


def entry(number: int, kind: str = "intent", outcome: str = "") -> work.JournalEntry:
    return work.JournalEntry(
        kind, "run", "dev", "line", "127.20.10.11", "write", "tester", f"intent{number}", outcome=outcome
    )


def test_the_database_refuses_to_change_the_journal(site: None) -> None:
    for number in range(3):
        journal.append(entry(number))
    assert journal.broken_at() is None
    first = JournalEntry.objects.first()
    first.entry = {"n": 7}
    with pytest.raises(DatabaseError, match="append-only"), transaction.atomic():
        first.save()
    with pytest.raises(DatabaseError, match="append-only"), transaction.atomic():
        first.delete()
    _without_triggers()
    first.save()
    assert journal.broken_at() == first.id, "and if somebody gets around it, the chain tells"


def _without_triggers() -> None:
    with connection.cursor() as cursor:
        cursor.execute("DROP TRIGGER journal_no_update")
        cursor.execute("DROP TRIGGER journal_no_delete")


def test_newest_entries_that_were_taken_away_are_missed(site: None) -> None:
    for number in range(4):
        journal.append(entry(number))
    _without_triggers()
    last = JournalEntry.objects.order_by("-id").first()
    ident = last.id
    last.delete()
    assert journal.broken_at() == ident


@pytest.mark.parametrize("column", ["device", "run", "intent", "kind"])
def test_what_entries_are_searched_by_is_covered(site: None, column: str) -> None:
    journal.append(entry(1))
    journal.append(entry(2))
    _without_triggers()
    first = JournalEntry.objects.order_by("id").first()
    JournalEntry.objects.filter(id=first.id).update(**{column: "other"})
    assert journal.broken_at() == first.id


def test_an_intent_gets_one_outcome(site: None) -> None:
    journal.append(entry(1))
    assert [one.intent for one in journal.open_intents("run")] == ["intent1"]
    journal.append(entry(1, "outcome", "done"))
    journal.append(entry(1, "outcome", "unknown"))
    assert journal.open_intents() == []
    assert JournalEntry.objects.filter(kind="outcome").count() == 1


def test_this_computers_networks_are_offered_and_its_loopback_is_not(viewer: APIClient) -> None:
    for one in viewer.get("/api/here").json():
        assert not one["address"].startswith("127.")
        assert one["network"].rpartition("/")[2].isdecimal()
