"""Who is to be given which address, out of the records; and whom a person may name."""

from __future__ import annotations

from typing import Any

import pytest
from asgiref.sync import sync_to_async
from rest_framework.test import APIClient

from netloom_core.clock import SystemClock
from netloom_core.engine.giving import Givers
from netloom_core.errors import CannotDo, RequestError
from netloom_core.leases.borrowed import Borrowing
from netloom_core.library.load import Library
from netloom_core.model.line import Line as CoreLine
from netloom_core.testing.store import MemoryEvents
from netloom_server.base.problems import Conflict
from netloom_server.host.engine import engine
from netloom_server.host.store import RecordStore
from netloom_server.installation.models import Device, Line
from netloom_server.installation.services import decisions, leasing, lines, places
from netloom_server.installation.services.fitting import unit_of
from tests.server.conftest import named
from tests.server.test_survey import net

MAC = "02:00:00:00:00:1a"


def bears(name: str, *macs: str, fact: str = "") -> Device:
    device = named(name)
    unit = unit_of(device)
    unit.keys, unit.facts = [f"mac:{one}" for one in macs], {"mac": fact} if fact else {}
    unit.save()
    device.save()
    return named(name)


def plan(library: Library) -> dict[str, str]:
    return {mac: lease.address for mac, lease in leasing.plan_of(net().id, library).leases.items()}


def test_the_plan_is_by_what_is_known_of_each_device(site: None, library: Library) -> None:
    hall = bears("Ticket hall box", MAC)
    bears("Car deck box", fact="02-00-00-00-00-1B")
    now = decisions.planned_address(hall, library.get(hall.profile))
    assert plan(library)[MAC] == now
    assert "02:00:00:00:00:1b" in plan(library)
    decisions.set_addresses([(hall.id, "127.20.10.88", "")], library)
    assert plan(library)[MAC] == "127.20.10.88"
    bears("Car deck box", MAC)
    assert MAC not in plan(library), "two bear it: nobody is given anything"
    bears("Car deck box", "nonsense", fact="02:00")
    assert set(plan(library)) == {MAC}
    rules = {"mask": "255.255.0.0", "gateway": "127.20.10.254"}
    places.keep_rules(net().id, rules, {})
    told = leasing.plan_of(net().id, library)
    assert (told.mask, told.router) == ("255.255.0.0", "127.20.10.254")
    lines.archive(net())
    with pytest.raises(Conflict, match="archived"):
        leasing.plan_of(net().id, library)


def test_whom_a_person_names_gets_no_place_of_another_one(site: None, library: Library) -> None:
    hall = bears("Ticket hall box", MAC)
    line = net()
    for address, words in (
        (hall.address, "belongs to Ticket hall box"),
        ("127.20.11.1", "no address for a unit"),
        (line.source, "no address for a unit"),
        ("127.20.10.255", "no address for a unit"),
    ):
        with pytest.raises((Conflict, RequestError), match=words):
            leasing.may_be_given(line, "02:00:00:00:00:99", address, library)
    leasing.may_be_given(line, MAC, hall.address, library)
    leasing.may_be_given(line, "02:00:00:00:00:99", "127.20.10.99", library)
    places.keep_rules(line.id, {"reserved": [{"first": "127.20.10.99", "last": "127.20.10.99", "why": "crane"}]}, {})
    with pytest.raises(Conflict, match=r"reserved \(crane\)"):
        leasing.may_be_given(Line.objects.get(id=line.id), MAC, "127.20.10.99", library)


@pytest.mark.django_db(transaction=True)
async def test_nothing_is_given_on_loopback_or_on_a_bus(whole_site: None, library: Library) -> None:
    found = {line.name: line.id for line in await sync_to_async(lambda: list(Line.objects.all()))()}
    events = MemoryEvents()
    givers = Givers(RecordStore(library, events), SystemClock(), events)
    for name, words in (("Terminal network", "On loopback nobody asks"), ("Gate bus", "is no IP network")):
        with pytest.raises(CannotDo, match=words):
            await givers.begin(found[name], 5, "tester")
        assert givers.shown(found[name]) is None
        with pytest.raises(RequestError, match="No addresses are given"):
            givers.accept(found[name], MAC, "127.20.10.99")


def test_the_form_of_what_is_asked_is_checked(technician: APIClient, viewer: APIClient) -> None:
    url = f"/api/lines/{net().id}/giving"
    assert viewer.post(url, {}, format="json").status_code == 403
    assert technician.post(url, {"minutes": 0}, format="json").status_code == 400
    for body in ({"mac": "x", "address": "127.20.10.9"}, {"mac": MAC, "address": "here"}, {"mac": MAC}):
        assert technician.post(f"{url}/accept", body, format="json").status_code == 400
    taken = {"mac": "02-00-00-00-00-99", "address": named("Ticket hall box").address}
    assert technician.post(f"{url}/accept", taken, format="json").status_code == 409
    assert technician.post("/api/lines/nobody/giving", {}, format="json").status_code == 404


def test_a_second_address_is_for_a_line_of_a_real_interface(technician: APIClient, viewer: APIClient) -> None:
    with pytest.raises(RequestError, match="is not a network"):
        lines.network_of("nonsense", "eth0")
    url = f"/api/lines/{net().id}/second-address"
    assert viewer.post(url, {"near": "192.168.1.200"}, format="json").status_code == 403
    for body in ({}, {"near": "here"}, {"near": "192.168.1.200", "minutes": 0}, {"near": "::1"}):
        assert technician.post(url, body, format="json").status_code == 400
    assert (
        technician.post("/api/lines/nobody/second-address", {"near": "192.168.1.200"}, format="json").status_code == 404
    )
    line = net()
    assert lines.network_of(line.network, line.interface).id == line.id, "the one that is there"


async def test_none_is_made_on_loopback_or_for_a_place_where_this_computer_is() -> None:
    borrowing = Borrowing(SystemClock(), lambda text: None)
    loop = CoreLine("n", "Net", "ip", network="127.20.10.0/24", source="127.20.10.1", interface="lo")
    with pytest.raises(CannotDo, match="no interface that could have"):
        await borrowing.begin(loop, "192.168.1.200", 5, "tester")
    real = CoreLine("n", "Net", "ip", network="10.255.77.0/24", source="10.255.77.1", interface="eth9")
    for near, words in (("8.8.8.8", "public Internet"), ("x", "no address"), ("10.255.77.9", "already")):
        with pytest.raises(RequestError, match=words):
            await borrowing.begin(real, near, 5, "tester")
    assert borrowing.shown("n") == []


def test_an_address_for_which_no_line_can_be_made_is_given_back(
    technician: APIClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    asked: list[dict[str, Any]] = []
    made = {"line": net().id, "interface": "lo", "address": "127.20.10.253", "network": "127.20.0.0/16", "until": 1.0,
            "by": "t"}  # fmt: skip

    def do(command: dict[str, Any], timeout: float = 0) -> dict[str, Any]:
        asked.append(command)
        return {"borrowed": made}

    monkeypatch.setattr(engine(), "do", do)
    answer = technician.post(f"/api/lines/{net().id}/second-address", {"near": "127.20.9.200"}, format="json")
    assert answer.status_code in (400, 409), "it is too large, and meets another line"
    assert [one["do"] for one in asked] == ["borrow", "give back"]
    assert asked[1]["network"] == made["network"]
