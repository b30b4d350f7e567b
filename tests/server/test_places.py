"""Rules of a line, proposals by them, what is told to be wrong, and the schedule that comes back as a table."""

from __future__ import annotations

import csv
import io
from typing import Any

import pytest
from asgiref.sync import sync_to_async
from openpyxl import load_workbook
from rest_framework.test import APIClient

from netloom_core.addressing.checks import CODES
from netloom_core.documents.tree import get
from netloom_core.errors import AddressTaken, RequestError
from netloom_core.library.load import Library
from netloom_core.model.work import RunState
from netloom_core.testing.store import MemoryEvents
from netloom_server.base.problems import Conflict
from netloom_server.host.store import RecordStore
from netloom_server.installation.models import Area, Device, Line
from netloom_server.installation.services import areas, decisions, lines, places, records, schedule
from netloom_server.runs.services.orders import orders_of
from tests.server.conftest import named
from tests.server.test_survey import net

RULES = {
    "ranges": [{"first": "127.20.10.60", "last": "127.20.10.69", "kind": "relay and input box"}],
    "pool": {"first": "127.20.10.200", "last": "127.20.10.220"},
    "reserved": [{"first": "127.20.10.61", "last": "127.20.10.61", "why": "printer"}],
    "names": "{kind}-{n:02}",
}


@pytest.fixture
def ruled(site: None) -> Line:
    return places.keep_rules(net().id, RULES, {})


def boxes() -> list[Device]:
    return [named(name) for name in ("Ticket hall box", "Car deck box")]


def test_rules_are_kept_whole_and_on_what_was_seen(technician: APIClient, viewer: APIClient) -> None:
    url = f"/api/lines/{net().id}/rules"
    assert technician.get(url).json()["rules"] == {}
    put = {"rules": RULES, "seen": {}}
    assert viewer.put(url, put, format="json").status_code == 403
    assert technician.put(url, put, format="json").json()["rules"]["pool"] == RULES["pool"]
    other = technician.put(url, {"rules": {}, "seen": {}}, format="json")
    assert other.status_code == 409
    assert "Somebody else changed the rules" in other.json()["error"]["message"]
    wrong = {"rules": {"gateway": "10.0.0.1"}, "seen": RULES}
    refused = technician.put(url, wrong, format="json")
    assert refused.status_code == 400
    assert "outside of 127.20.10.0/24" in refused.json()["error"]["message"]
    assert places.rules_of(net()).pool is not None, "the former ones stand"
    assert technician.put(url, {"rules": {"ranges": [{}]}, "seen": RULES}, format="json").status_code == 400
    assert technician.put(url, {"rules": {}, "seen": RULES}, format="json").json()["rules"] == {}


def test_proposals_are_decided_all_or_none_and_on_what_was_seen(technician: APIClient, ruled: Line) -> None:
    asked = technician.post("/api/places/propose", {"devices": [one.id for one in boxes()]}, format="json")
    made = asked.json()["proposals"]
    assert [one["address"] for one in made] == ["127.20.10.60", "127.20.10.62"]
    assert [one["values"]["name"] for one in made] == ["relay-and-input-box-01", "relay-and-input-box-02"]
    assert "outside of the range" in made[0]["why"][0]
    assert named("Ticket hall box").intended.get("network", {}).get("address") != "127.20.10.60"
    given = [{"device": one["device"], "values": one["values"], "version": one["version"]} for one in made]
    stale = [given[0], {**given[1], "version": given[1]["version"] - 1}]
    refused = technician.post("/api/places/decide", {"assignments": stale}, format="json")
    assert refused.status_code == 409
    assert get(named("Ticket hall box").intended, "/network/address") != "127.20.10.60"
    done = technician.post("/api/places/decide", {"assignments": given}, format="json")
    assert done.status_code == 200
    assert get(named("Car deck box").intended, "/network/address") == "127.20.10.62"
    assert get(named("Car deck box").intended, "/name") == "relay-and-input-box-02"
    again = technician.post("/api/places/propose", {"devices": [one.id for one in boxes()]}, format="json")
    assert [(one["stays"], one["values"]) for one in again.json()["proposals"]] == [(True, {}), (True, {})]
    for wrong in (
        {"device": "x", "values": {"address": "127.20.10.63"}},
        {"device": given[0]["device"], "values": {"colour": "red"}},
    ):
        assert technician.post("/api/places/decide", {"assignments": [wrong]}, format="json").status_code == 400


def test_what_is_wrong_is_told_before_anything_is_written(technician: APIClient, ruled: Line, library: Library) -> None:
    found = technician.get("/api/places/troubles").json()["troubles"]
    told = {(one["code"], one["name"]) for one in found}
    assert ("out-of-range", "Ticket hall box") in told
    assert all(one["message"] and one["hint"] for one in found)
    box = named("Ticket hall box")
    decisions.set_intended([(box.id, "/network/gateway", "10.1.2.3")], library)
    found = technician.get("/api/places/troubles").json()["troubles"]
    assert ("gateway-outside", "Ticket hall box") in {(one["code"], one["name"]) for one in found}
    Line.objects.create(name="Twin", kind="ip", network="127.20.10.0/25", interface="other", protocol="ip")
    found = technician.get("/api/places/troubles").json()["troubles"]
    assert "same-subnet" in {one["code"] for one in found}
    order = [CODES.index(one["code"]) for one in found]
    assert order == sorted(order), "the worst first, over all lines"


def test_ranges_follow_their_area(ruled: Line, site: None) -> None:
    quay, pier = areas.create("North quay", None), areas.create("North pier", None)
    rules = {"ranges": [{"first": "127.20.10.60", "last": "127.20.10.69", "area": str(quay.id)}]}
    slots = {"first": "1", "last": "9", "area": str(quay.id)}
    rules |= {"universes": [{"number": 3, "ranges": [slots]}]}
    places.keep_rules(ruled.id, rules, RULES)
    areas.merge(quay, pier)
    assert [one.area for one in places.rules_of(net()).ranges] == [str(pier.id)]
    assert [one.area for one in places.rules_of(net()).universes[0].ranges] == [str(pier.id)]
    areas.merge(Area.objects.get(id=pier.id), None)
    assert places.rules_of(net()).ranges == ()
    assert places.rules_of(net()).universes[0].ranges == ()


def exported(client: APIClient, ending: str = "csv") -> list[list[str]]:
    body = client.get(f"/api/places/table/addresses.{ending}").content
    if ending == "xlsx":
        return [[str(cell or "") for cell in row] for row in load_workbook(io.BytesIO(body)).active.values]
    return list(csv.reader(io.StringIO(body.decode())))


def back(client: APIClient, rows: list[list[str]], *, decide: bool = False) -> dict[str, Any]:
    out = io.StringIO()
    csv.writer(out).writerows(rows)
    return sent(client, f"changed.csv{'?decide=1' if decide else ''}", out.getvalue().encode())


def sent(client: APIClient, name: str, data: bytes) -> dict[str, Any]:
    answer = client.generic(
        "POST", f"/api/places/table/{name}", data, content_type="application/octet-stream",
        HTTP_CONTENT_DISPOSITION="attachment; filename=table",
    )  # fmt: skip
    return {"status": answer.status_code, **answer.json()}


def test_a_table_that_nobody_touched_changes_nothing(technician: APIClient, library: Library) -> None:
    rows = exported(technician)
    assert len(rows) > 3
    assert exported(technician, "xlsx") == rows
    told = back(technician, rows)
    assert {(bool(row["changes"]), row["problem"]) for row in told["rows"]} == {(False, "")}
    assert len(told["rows"]) == len(rows) - 1
    assert back(technician, rows, decide=True)["status"] == 409
    xlsx = technician.get("/api/places/table/addresses.xlsx").content
    assert not any(row["changes"] or row["problem"] for row in sent(technician, "a.xlsx", xlsx)["rows"])


def test_bad_rows_are_named_and_nothing_else_is_dropped(technician: APIClient, library: Library) -> None:
    head, *rows = exported(technician)
    at = {title: head.index(title) for title in ("name", "address", "line", "gateway")}
    by_name = {row[at["name"]]: row for row in rows}
    hall, deck = by_name["Ticket hall box"], by_name["Car deck box"]
    hall[at["address"]], deck[at["address"]] = deck[at["address"]], hall[at["address"]]
    assert back(technician, [head, hall, deck])["rows"][0]["changes"] == {"address": hall[at["address"]]}
    pier = by_name["Pier head box"]
    pier[at["address"]] = "127.20.10.255"
    ghost = ["Nobody", *[""] * (len(head) - 1)]
    elsewhere = list(by_name["Gate B module"])
    elsewhere[at["line"]] = "Other bus"
    told = back(technician, [head, hall, ghost, pier, elsewhere, deck, hall], decide=True)
    assert [row["problem"].partition(".")[0] for row in told["rows"]] == [
        "", "There is no device Nobody here", "127", "Gate B module is on Gate bus, not on Other bus", "",
        "Row 2 is about Ticket hall box, too",
    ]  # fmt: skip
    assert "broadcast" in told["rows"][2]["problem"]
    assert told["decided"] == 2
    assert (
        decisions.planned_address(named("Car deck box"), library.get(named("Car deck box").profile))
        == deck[at["address"]]
    )


def test_a_row_that_cannot_be_holds_its_place_against_the_others(technician: APIClient, library: Library) -> None:
    head, *rows = exported(technician)
    at = head.index("address")
    by_name = {row[0]: row for row in rows}
    chain = [by_name[name] for name in ("Ticket hall box", "Car deck box", "Pier head box")]
    places_now = [row[at] for row in chain]
    for row, to in zip(chain, [*places_now[1:], "127.20.99.1"], strict=True):
        row[at] = to
    told = back(technician, [head, *chain])
    assert all(row["problem"] for row in told["rows"]), "the last cannot go, so nobody can"
    twice = [list(row) for row in chain[:2]]
    for row in twice:
        row[at] = "127.20.10.77"
    assert all("by row" in row["problem"] for row in back(technician, [head, *twice])["rows"])


@pytest.mark.parametrize("text", ["", "a,b\n1,2\n", "name\nx\n", "\x00", "name,address"])
def test_what_is_no_table_of_addresses_is_refused(technician: APIClient, library: Library, text: str) -> None:
    told = sent(technician, "x.csv", text.encode())
    assert told["status"] == 400 or told["rows"] == []


def test_nothing_is_decided_by_rows_without_a_change(site: None, library: Library) -> None:
    with pytest.raises(Conflict, match="No row"):
        schedule.take_over([], library)
    with pytest.raises(RequestError, match="any more"):
        places.decide([("nobody", {"address": "1"})], {}, library)


def second_network() -> Line:
    """On the same interface."""
    return Line.objects.create(
        name="Annex",
        kind="ip",
        network="127.20.11.0/24",
        source="127.20.11.1",
        interface=net().interface,
        protocol="ip",
    )


@pytest.fixture
def annex(site: None) -> Line:
    return second_network()


def test_a_table_sends_a_device_to_another_network(annex: Line, library: Library) -> None:
    hall, deck = (one.name for one in boxes())
    head = ["name", "line", "address"]

    def looked(*rows: list[str]) -> list[tuple[dict[str, str], str]]:
        return [(row.changes, row.problem) for row in schedule.look_at([head, *rows], library)]

    [good, bad] = looked([hall, "Annex", "127.20.11.5"], [deck, "Annex", "127.20.10.77"])
    assert good == ({"address": "127.20.11.5"}, "")
    assert f"{deck} is on Terminal network, not on Annex" in bad[1]
    both = looked([hall, "Annex", "127.20.11.5"], [deck, "Annex", "127.20.11.5"])
    assert all("127.20.11.5" in problem for _, problem in both)
    assert "is this computer" in looked([hall, "Annex", "127.20.11.1"])[0][1]
    schedule.take_over(schedule.look_at([head, [hall, "Annex", "127.20.11.5"]], library), library)
    assert get(named(hall).intended, "/network/address") == "127.20.11.5"
    [(_, taken)] = looked([deck, "Annex", "127.20.11.5"])
    assert hall in taken


def test_two_of_different_networks_may_change_places(annex: Line, library: Library) -> None:
    first, second = boxes()
    second.line, second.address = annex, "127.20.11.5"
    second.intended = {}
    second.save()
    with pytest.raises(AddressTaken):
        decisions.set_addresses([(first.id, "127.20.11.5", "")], library)
    decisions.set_addresses([(first.id, "127.20.11.5", ""), (second.id, first.address, "")], library)
    assert {(one.code, one.name) for one in places.Site(library).troubles() if one.code == "duplicate"} == set()
    with pytest.raises(AddressTaken):
        decisions.set_intended([(second.id, "/network/address", decisions.FORGET)], library)


def test_a_device_may_be_planned_for_another_network(annex: Line, library: Library, technician: APIClient) -> None:
    hall, deck = boxes()
    decisions.set_addresses([(hall.id, "127.20.11.5", "Annex")], library)
    with pytest.raises(RequestError, match="would be on Annex, not on Terminal network"):
        decisions.set_addresses([(deck.id, "127.20.11.6", "Terminal network")], library)
    with pytest.raises(RequestError, match="is planned for Ticket hall box"):
        decisions.set_addresses([(deck.id, "127.20.11.5", "")], library)
    with pytest.raises(RequestError, match="is not an address for a device"):
        decisions.set_addresses([(deck.id, "127.20.12.5", "")], library)
    found = technician.get("/api/places/troubles").json()["troubles"]
    assert "Ticket hall box" not in {one["name"] for one in found}
    made = technician.post("/api/places/propose", {"devices": [hall.id]}, format="json").json()["proposals"]
    assert [(one["line"], one["address"], one["stays"]) for one in made] == [(annex.id, "127.20.11.5", True)]
    assert not places.Site(library, [net().id]).troubles(), "nor where its new line is not looked at"
    target = records.target_of(Device.objects.get(id=hall.id), library, records.networks_in_use())
    assert target.at("127.20.11.5").line.id == annex.id
    assert target.at("127.20.10.5").line.id == net().id
    assert target.at("10.0.0.1").line.id == net().id, "nobody holds that"
    lines.archive(annex)
    assert (
        records.target_of(Device.objects.get(id=hall.id), library, records.networks_in_use()).at("127.20.11.5").line.id
        == net().id
    )


@pytest.mark.django_db(transaction=True)
async def test_a_device_that_arrived_on_another_network_is_on_that_line(whole_site: None, library: Library) -> None:
    def annexed() -> tuple[str, str]:
        return second_network().id, named("Ticket hall box").id

    line, box = await sync_to_async(annexed)()
    store = RecordStore(library, MemoryEvents())
    await store.devices.save_place(box, "127.20.11.5", 0, 1e10)
    moved = await sync_to_async(lambda: Device.objects.get(id=box))()
    assert (moved.line_id, moved.address) == (line, "127.20.11.5")


def test_a_plan_says_what_is_wrong_with_the_place_that_it_writes(site: None, library: Library) -> None:
    box = named("Ticket hall box")
    decisions.set_intended([(box.id, "/network/gateway", "10.1.2.3")], library)
    run = RunState("r", "plan", "tester", {"kind": "apply", "ids": [box.id, named("Car deck box").id]})
    told = {order.name: order.places for order in orders_of(run, library)}
    assert told["Car deck box"] == ()
    assert "gateway 10.1.2.3 is outside of its network" in told["Ticket hall box"][0]


@pytest.mark.django_db(transaction=True)
async def test_two_of_two_networks_are_not_bound_for_one_place(whole_site: None, library: Library) -> None:
    def annexed() -> tuple[str, str]:
        deck = named("Car deck box")
        Device.objects.filter(id=deck.id).update(line=second_network(), address="127.20.11.9")
        return named("Ticket hall box").id, deck.id

    hall, deck = await sync_to_async(annexed)()
    store = RecordStore(library, MemoryEvents())
    await store.devices.bind(hall, "127.20.11.5", 1e9)
    with pytest.raises(AddressTaken, match="was written to Ticket hall box"):
        await store.devices.bind(deck, "127.20.11.5", 1e9)
    assert await store.devices.holder(deck, "127.20.11.5") == "Ticket hall box", "nor planned there"
    await store.devices.bind(deck, "127.20.11.6", 1e9)


def test_a_plan_looks_at_places_only_where_one_of_them_waits(site: None, library: Library) -> None:
    box = named("Ticket hall box")
    running = box.intended
    assert not places.place_waits(box, running, library)
    decisions.set_addresses([(box.id, "127.20.10.88", "")], library)
    assert places.place_waits(named("Ticket hall box"), running, library)
