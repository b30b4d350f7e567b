"""The survey's records through the API: methods, access, who is who, lists, comings and goings."""

from __future__ import annotations

import io
from datetime import timedelta

import pytest
from django.utils import timezone
from openpyxl import Workbook
from rest_framework.test import APIClient

from netloom_core.absence.explain import Absent
from netloom_core.library.load import Library
from netloom_core.model.sighting import Reason, Sighting
from netloom_core.sweep.identity import fuse
from netloom_core.sweep.sweep import Report, SweepResult
from netloom_server.installation.models import Area, Change, Device, Installation, Line, LineAccess
from netloom_server.installation.services import access, decisions, records, sweeping, why
from netloom_server.runs.models import Run
from netloom_server.runs.services.runs import due_sweep
from tests.server.conftest import named
from tests.server.test_records import error, post

NET = "Terminal network"


def net() -> Line:
    return Line.objects.get(name=NET)


def swept(library: Library, *sightings: Sighting, missing: tuple[Device, ...] = ()) -> list[tuple[Device, object]]:
    result = SweepResult(fuse(sightings, records.known_of(Device.objects.all()), library), list(sightings))
    result.reports = [Report(net().id, "http", "HTTP identification", "done", 1.5, 2, 40, ["a note"])]
    pairs = sweeping.record("run1", [net().id], result, library)
    sweeping.record_missing(
        [Absent(d.id, net().id, (Reason("Gone.", "Look.", "A test."),)) for d in missing], timezone.now()
    )
    return pairs


def at(number: int, method: str = "http", **facts: str) -> Sighting:
    return Sighting(net().id, f"127.20.10.{number}", method, 1e9, facts)


def box(number: int, serial: str, **facts: str) -> Sighting:
    return at(number, maker="Hallvane", model="RX8", serial=serial, **facts)


# Lines


def test_methods_are_listed_with_what_they_did_and_switched(technician: APIClient, library: Library) -> None:
    swept(library, box(11, "HV-40117"))
    url = f"/api/lines/{NET}"
    methods = {m["name"]: m for m in technician.get(url).json()["methods"]}
    assert methods["http"]["seconds"] == 1.5
    assert methods["http"]["notes"] == ["a note"]
    assert methods["sacn"]["state"] == ""
    changed = technician.patch(url, {"off": ["sacn", "echo"]}, format="json").json()
    assert {m["name"] for m in changed["methods"] if not m["on"]} == {"sacn", "echo"}
    assert net().as_core().off == ("echo", "sacn")
    refused = technician.patch(url, {"off": ["smoke signals"]}, format="json")
    assert "has no method smoke signals" in refused.json()["error"]["message"]


def test_a_viewer_changes_no_line(viewer: APIClient) -> None:
    assert viewer.patch(f"/api/lines/{NET}", {"off": []}, format="json").status_code == 403
    assert viewer.put(f"/api/lines/{NET}/access", {"communities": []}, format="json").status_code == 403


def test_access_is_encrypted_and_never_shown(technician: APIClient) -> None:
    user = {"name": "watcher", "auth": "SHA-256", "auth_key": "a long secret", "priv": "AES", "priv_key": "another one"}
    body = {"communities": ["quay-secret"], "users": [user]}
    assert technician.put(f"/api/lines/{NET}/access", body, format="json").status_code == 204
    kept = bytes(LineAccess.objects.get().secret)
    assert b"quay" not in kept
    assert b"secret" not in kept
    told = technician.get(f"/api/lines/{NET}").content
    assert b"quay-secret" not in told
    assert b"long secret" not in told
    found = access.of_line(net())
    assert (found.communities, found.snmp_users[0].priv_key) == (("quay-secret",), "another one")
    short = {**body, "users": [{**user, "auth_key": "short"}]}
    assert technician.put(f"/api/lines/{NET}/access", short, format="json").status_code == 400


@pytest.mark.parametrize(
    ("path", "words"),
    [("rfc2217://", "is not a port's address"), ("rfc2217://x:99999", "is not a port"), ("COM3", "whole path")],
)
def test_ports_that_cannot_be(technician: APIClient, path: str, words: str) -> None:
    body = {"kind": "serial", "path": path, "protocol": "modbus"}
    assert words in technician.post("/api/lines", body, format="json").json()["error"]["message"]


def test_a_device_server_is_a_line(technician: APIClient) -> None:
    body = {"kind": "serial", "path": "rfc2217://127.20.40.41:4001", "protocol": "modbus", "parity": "E"}
    made = post(technician, "/api/lines", body, 201)
    assert (made["parity"], made["methods"][0]["name"]) == ("E", "modbus")


# Who is who


def test_all_that_names_a_device_is_kept(technician: APIClient, library: Library) -> None:
    swept(library, box(11, "HV-40117", mac="0a:00:00:00:00:01", host="ticket"))
    device = named("Ticket hall box")
    assert device.keys == ["hallvane|hv-40117", "mac:0a:00:00:00:00:01"]
    swept(library, at(77, "neighbour", mac="0a:00:00:00:00:01"))
    device.refresh_from_db()
    assert (device.status, device.address) == ("moved", "127.20.10.77")
    assert technician.get(f"/api/devices/{device.id}").json()["sightings"][0]["method"] == "neighbour"


def test_unknown_ones_stay_with_a_guess_until_a_person_says(technician: APIClient, library: Library) -> None:
    swept(library, at(90, "connect", ports="4352"))
    device = Device.objects.get(address="127.20.10.90")
    assert (device.status, device.taken_in) == ("unknown", False)
    assert "display or projector" in device.guess
    told = technician.patch(f"/api/devices/{device.id}", {"profile": "belisar-d55"}, format="json").json()
    assert (told["state"], told["said"], told["guess"]) == ("new", True, "")
    swept(library, at(90, "connect", ports="4352"))
    swept(library)
    device.refresh_from_db()
    assert device.profile == "belisar-d55", "what a person said stays, seen or not"
    back = technician.patch(f"/api/devices/{device.id}", {"profile": ""}, format="json").json()
    assert (back["said"], back["profile"]) == (False, "")


def test_two_records_are_joined_with_keys_places_and_evidence(technician: APIClient, library: Library) -> None:
    swept(library, box(11, "HV-40117"), at(91, "neighbour", mac="0a:00:00:00:00:09"))
    other = Device.objects.get(address="127.20.10.91")
    joined = post(technician, "/api/devices/Ticket hall box/join", {"other": other.id})["devices"][0]
    assert {place["address"] for place in joined["addresses"]} == {"127.20.10.11", "127.20.10.91"}
    assert not Device.objects.filter(id=other.id).exists()
    swept(library, box(11, "HV-40117"), at(91, "neighbour", mac="0a:00:00:00:00:09"))
    assert not Device.objects.filter(address="127.20.10.91").exists(), "and that stays"
    assert named("Ticket hall box").sightings.filter(method="neighbour").count() == 2


def test_two_that_differ_are_not_joined(technician: APIClient) -> None:
    told = error(technician, "/api/devices/Ticket hall box/join", {"other": "Car deck box"}, 409)
    assert "has serial number" in told["message"]
    assert error(technician, "/api/devices/Ticket hall box/join", {"other": "Ticket hall box"}, 400)


def test_a_key_is_parted_and_stays_apart(technician: APIClient, library: Library) -> None:
    mac = "mac:0a:00:00:00:00:01"
    swept(library, box(11, "HV-40117", mac="0a:00:00:00:00:01"))
    post(technician, "/api/devices/Ticket hall box/part", {"keys": [mac]})
    swept(library, box(11, "HV-40117"), at(92, "neighbour", mac="0a:00:00:00:00:01"))
    assert Device.objects.get(address="127.20.10.92").id != named("Ticket hall box").id
    assert named("Ticket hall box").apart == [mac]
    assert error(technician, "/api/devices/Ticket hall box/part", {"keys": ["mac:none"]}, 400)
    assert "Nothing would be left" in error(
        technician, "/api/devices/Ticket hall box/part", {"keys": ["hallvane|hv-40117"]}, 400
    )["message"]  # fmt: skip


def test_names_for_many_are_made_from_a_pattern(site: None, library: Library) -> None:
    swept(library, *(box(40 + n, f"HV-6{n}") for n in range(3)))
    found = list(Device.objects.filter(unit__serial__startswith="HV-6").order_by("unit__serial"))
    area = Area.objects.get(name="Car deck")
    pattern = "{area} {model} {nn} .{last} {nonsense}"
    names = [decisions.named(pattern, n, d, area, library, many=True) for n, d in enumerate(found, 1)]
    assert names == [f"Car deck RX8 0{n + 1} .4{n} {{nonsense}}" for n in range(3)]
    assert decisions.named("Box", 2, found[0], None, library, many=True) == "Box 2"


# Comings and goings


def test_comings_and_goings_are_noted(technician: APIClient, library: Library) -> None:
    swept(library, box(11, "HV-40117"), box(95, "HV-9"))
    ticket = named("Ticket hall box")
    swept(library, box(96, "HV-9"), missing=(ticket,))
    swept(library, box(11, "HV-40117"), box(96, "HV-9"))
    told = [(c["name"], c["what"]) for c in technician.get("/api/changes").json()]
    assert told == [
        ("Ticket hall box", "back"),
        ("Ticket hall box", "went"),
        ("RX8 HV-9", "moved"),
        ("RX8 HV-9", "came"),
    ]
    assert Change.objects.count() == 4


def test_a_place_shown_after_the_sweep_looked_is_not_taken_back_by_it(site: None, library: Library) -> None:
    """A run moved the box while a sweep was still under way that had seen it at its old place."""
    swept(library, box(11, "HV-40117"))
    later = timezone.now()
    Device.objects.filter(name="Ticket hall box").update(address="127.20.10.44", placed=later, status="known")
    swept(library, box(11, "HV-40117"))  # its sightings are from long before
    device = named("Ticket hall box")
    assert (device.address, device.status) == ("127.20.10.44", "known")
    begun = later - timedelta(seconds=30)
    sweeping.record_missing([Absent(device.id, net().id, (Reason("Gone.", "Look.", "A test."),))], begun)
    device.refresh_from_db()
    assert (device.status, device.reasons) == ("known", []), "who was shown to be somewhere meanwhile is not missing"


def test_watch_mode_begins_a_sweep_when_it_is_time(technician: APIClient, lead: APIClient) -> None:
    assert technician.get("/api/watch-mode").json() == {"minutes": 0}
    assert technician.put("/api/watch-mode", {"minutes": 5}, format="json").json() == {"minutes": 5}
    assert technician.put("/api/watch-mode", {"minutes": -1}, format="json").status_code == 400
    first = due_sweep()
    assert Run.objects.get(id=first).params == {"lines": [], "quiet": True}
    assert due_sweep() == "", "not while it goes on"
    Run.objects.filter(id=first).update(state="done")
    assert due_sweep() == "", "nor before the time"
    Run.objects.filter(id=first).update(created=timezone.now() - timedelta(minutes=6))
    assert due_sweep() != ""
    Installation.objects.update(watch_minutes=0)
    Run.objects.update(state="done")
    assert due_sweep() == ""


# Expected devices

LIST = "Name;Model;Line;Address;Room\nRamp box;RX8;Terminal network;127.20.10.61;Ramp\n"


def test_a_pasted_list_is_looked_at_first_and_then_planned(technician: APIClient) -> None:
    looked = post(technician, "/api/expected", {"text": LIST})
    assert (looked["rows"][0]["problem"], looked["planned"]) == ("", [])
    assert not Device.objects.filter(name="Ramp box").exists()
    post(technician, "/api/expected", {"text": LIST, "plan": True})
    planned = named("Ramp box")
    assert (planned.status, planned.address, planned.area.name) == ("planned", "127.20.10.61", "Ramp")
    again = post(technician, "/api/expected", {"text": LIST, "plan": True})
    assert (again["rows"][0]["device"], again["planned"]) == (planned.id, [])


@pytest.mark.parametrize(
    ("row", "words"),
    [
        (";RX8;Terminal network;127.20.10.62;", "no name"),
        ("A;Nonesuch;Terminal network;127.20.10.62;", "No profile knows"),
        ("A;RX8;Moon base;127.20.10.62;", "no line Moon base"),
        ("A;RX8;Terminal network;10.1.1.1;", "no address on"),
        ("A;;Terminal network;127.20.10.62;", "names no model"),
        ("A;RX8;Terminal network;127.20.10.11;", "Ticket hall box"),
        ("A;RX8;;127.20.10.63;\nA;RX8;;127.20.10.64;", "same name"),
    ],
)
def test_rows_with_problems_say_so_and_the_others_go_on(technician: APIClient, row: str, words: str) -> None:
    looked = post(technician, "/api/expected", {"text": LIST + row, "plan": True})
    assert any(words in one["problem"] for one in looked["rows"]), looked
    assert all(one["try"] for one in looked["rows"] if one["problem"])
    assert named("Ramp box").taken_in


@pytest.mark.parametrize("text", ["", "   \n", "a,b\n1,2\n", "\x00\x01\x02"])
def test_what_is_no_list_is_refused(technician: APIClient, text: str) -> None:
    assert technician.post("/api/expected", {"text": text}, format="json").status_code == 400


def upload(client: APIClient, data: bytes, name: str) -> dict:
    answer = client.generic(
        "POST", f"/api/expected/{name}", data, content_type="application/octet-stream",
        HTTP_CONTENT_DISPOSITION=f"attachment; filename={name}",
    )  # fmt: skip
    return {"status": answer.status_code, **answer.json()}


def test_a_workbook(technician: APIClient) -> None:
    book = Workbook()
    for row in (
        ["Device name", "Type", "IP address"],
        ["Ramp box", "Hallvane RX8", "127.20.10.61"],
        ["=1+1", None, None],
    ):
        book.active.append(row)
    content = io.BytesIO()
    book.save(content)
    rows = upload(technician, content.getvalue(), "list.xlsx")["rows"]
    assert (rows[0]["profile"], rows[0]["problem"]) == ("hallvane-rx8", "")
    assert len(rows) == 1, "formulas are not reckoned"


@pytest.mark.parametrize("data", [b"PK\x03\x04" + b"x" * 300, b"PK\x03\x04", b"\xff\xfe\x00"])
def test_damaged_and_hostile_workbooks_are_refused(technician: APIClient, data: bytes) -> None:
    told = upload(technician, data, "list.xlsx")
    assert told["status"] == 400
    assert told["error"]["try"]


# Why something is not there, out of the records


def test_a_case_has_the_history_of_its_device(technician: APIClient, library: Library) -> None:
    swept(library, box(11, "HV-40117"), at(2, "http", maker="Marrowby", model="SW24", serial="MS-1"))
    ticket = named("Ticket hall box")
    ticket.unit.switch = {"address": "127.20.10.2", "port": "7"}
    ticket.unit.save()
    case = why.Cases(library, [], []).of(ticket)
    assert case.history.seen.startswith("Last seen 0 min ago by http at 127.20.10.11")
    assert (case.history.switch, case.history.switch_port, case.history.switch_interface) == ("127.20.10.2", "7", 7)
    assert case.history.switch_name == "SW24 MS-1"
    planned = why.Cases(library, [], []).of(named("Pier head box"))
    assert planned.history.seen == "No sweep ever saw it"
    found = why.remembered(but=[])
    assert {f.address for f in found} == {"127.20.10.11", "127.20.10.2"}


def test_what_somebody_sees_at_it_is_evidence_until_it_is_heard_again(technician: APIClient, library: Library) -> None:
    told = technician.post(
        "/api/devices/Ticket hall box/lights", {"printed": "NET", "pattern": "double", "colour": "amber"}, format="json"
    )
    assert (told.status_code, told.json()["then"]) == (201, "Sweep the line for duplicates.")
    for printed, pattern in (("NET", "tone"), ("XYZ", "off")):
        body = {"printed": printed, "pattern": pattern}
        assert technician.post("/api/devices/Ticket hall box/lights", body, format="json").status_code == 400
    [looked] = why.Cases(library, [], []).of(named("Ticket hall box")).history.looked
    assert (looked.printed, looked.pattern, looked.by, looked.minutes) == ("NET", "double", "the-technician", 0)
    assert technician.get("/api/devices/Ticket hall box").json()["sightings"][0]["method"] == "person"
    swept(library, box(11, "HV-40117"))
    Device.objects.filter(name="Ticket hall box").update(seen=timezone.now() + timedelta(seconds=1))
    assert not why.Cases(library, [], []).of(named("Ticket hall box")).history.looked


# What several bear, and what was refused


def mac_of(number: int) -> str:
    return f"00:50:c2:00:00:{number:02x}"


def told(number: int, mac: int, serial: str) -> tuple[Sighting, Sighting]:
    return at(number, "neighbour", mac=mac_of(mac)), box(number, serial)


def with_common(library: Library, *sightings: Sighting) -> list[tuple[Device, object]]:
    """A sweep that knows what proved to be common before, and tells what proves so now."""
    common = records.common_keys()
    result = SweepResult(fuse(sightings, records.known_of(Device.objects.all()), library, common), list(sightings))
    result.common = common
    return sweeping.record("run1", [net().id], result, library)


def test_a_serial_number_that_two_bear_names_neither_from_then_on(technician: APIClient, library: Library) -> None:
    [(first, _)] = with_common(library, *told(60, 1, "HV-7000"))
    assert records.keys_for(first) == ("hallvane|hv-7000", f"mac:{mac_of(1)}")
    with_common(library, *told(60, 1, "HV-7000"), *told(61, 2, "HV-7000"))
    first.refresh_from_db()
    assert records.keys_for(Device.objects.get(id=first.id)) == (f"mac:{mac_of(1)}",)
    assert (
        "several devices on one line bear it"
        in technician.get(f"/api/devices/{first.id}").json()["shared"]["hallvane|hv-7000"]
    )
    # The other one alone is not taken for the first, though it bears its number.
    pairs = with_common(library, *told(61, 2, "HV-7000"))
    assert [device.id for device, _ in pairs] != [first.id]


def test_joining_two_takes_back_that_they_share_a_fact(technician: APIClient, library: Library) -> None:
    with_common(library, *told(60, 1, "HV-7000"), *told(61, 2, "HV-7000"))
    one, other = Device.objects.filter(unit__serial="HV-7000").order_by("address")
    decisions.join(one, other)
    assert records.common_keys() == {}
    assert "hallvane|hv-7000" in records.keys_for(Device.objects.get(id=one.id))


def test_by_which_methods_a_key_came_is_kept(technician: APIClient, library: Library) -> None:
    [(device, _)] = with_common(library, *told(60, 1, "HV-7000"))
    shown = technician.get(f"/api/devices/{device.id}").json()
    assert shown["ways"] == {"hallvane|hv-7000": ["http"], f"mac:{mac_of(1)}": ["neighbour"]}


def test_the_bench_says_behind_which_port_of_which_switch_it_is(technician: APIClient, library: Library) -> None:
    port = Sighting(net().id, "", "forwarding", 1e9, {
        "mac": mac_of(1), "switch": "127.20.10.62", "switch_port": "7", "switch_interface": "10007", "port_macs": "1",
    })  # fmt: skip
    swept(library, *told(60, 1, "HV-7000"), port, at(62, "snmp", host="Rack switch"))
    device = Device.objects.get(unit__serial="HV-7000")
    assert technician.get(f"/api/devices/{device.id}").json()["switch"] == "port 7 of Rack switch"
    switch = Device.objects.get(name="Rack switch")
    assert technician.get(f"/api/devices/{switch.id}").json()["hanging"] == []  # a stranger's record is nobody's switch
    Device.objects.filter(id=switch.id).update(taken_in=True)
    [port_7] = technician.get(f"/api/devices/{switch.id}").json()["hanging"]
    assert (port_7["port"], [one["name"] for one in port_7["devices"]]) == ("7", [device.name])
    case = why.Cases(library, [], []).of(device)
    assert (case.history.switch_port, case.history.switch_interface) == ("7", 10007)
    assert "forwarding at" not in case.history.seen


def test_a_device_without_a_profile_has_a_face_by_its_standard(technician: APIClient, library: Library) -> None:
    [(device, _)] = swept(library, at(60, "pjlink", maker="Nobody", model="P1", title="Hall"))
    shown = technician.get(f"/api/devices/{device.id}").json()
    assert (shown["maker"], shown["model"], shown["state"]) == ("Nobody", "P1", "unknown")
    assert shown["kind"].startswith("display or projector")
    assert [point["short"] for point in shown["points"]][:2] == ["power", "mute"]
    [(bare, _)] = [pair for pair in swept(library, at(61, "ssdp", uuid="x")) if pair[0].address.endswith(".61")]
    assert technician.get(f"/api/devices/{bare.id}").json()["kind"] == "UPnP device"


def test_what_a_standard_gave_gives_way_to_a_model_until_a_person_decided_by_it(
    technician: APIClient, library: Library
) -> None:
    camera, known = {"mac": mac_of(3), "serial": "OC-1"}, {"types": "NetworkVideoTransmitter", "hardware": "C2"}
    [(device, _)] = swept(library, at(60, "onvif", maker="Nobody", model="Z9", **camera))
    assert device.profile == "standard-onvif"
    [(device, _)] = swept(library, at(60, "onvif", maker="Nobody", model="Z9", relays="2", **camera))
    assert device.profile == "standard-onvif-2-relays", "now it told more"
    [(device, _)] = swept(library, at(60, "onvif", maker="Nobody", refused="No.", **camera))
    assert device.profile == "standard-onvif-2-relays", "and does not forget it"
    [(device, _)] = swept(library, at(60, "onvif", **camera, **known))
    assert (device.profile, device.status) == ("oystercatch-c2", "new")
    [(device, _)] = swept(library, at(60, "onvif", maker="Nobody", relays="2", **camera))
    assert device.profile == "oystercatch-c2"

    [(other, _)] = swept(library, at(70, "onvif", maker="Nobody", model="Z9", relays="2", serial="OC-2"))
    other.taken_in = True
    other.save()
    [(other, _)] = swept(library, at(70, "onvif", maker="Nobody", serial="OC-2", **known))
    assert other.profile == "standard-onvif-2-relays", "what was decided by it would be lost"
    assert other.status == "known"
    again = at(70, "onvif", maker="Nobody", model="Z9", relays="2", onvif_port="8000", serial="OC-2")
    [(other, _)] = swept(library, again)
    assert other.profile == "standard-onvif-2-relays-at-8000", "the same, where it is now"


def test_a_stranger_that_only_passed_by_leaves_the_picture(technician: APIClient, library: Library) -> None:
    swept(library, at(60, "pjlink", maker="Nobody", model="P1"), at(61, "ping", echo="yes"))
    assert Device.objects.filter(taken_in=False).count() == 2
    swept(library, box(11, "HV-40117"))
    assert not Device.objects.filter(address__in=["127.20.10.60", "127.20.10.61"]).exists()


def test_what_could_be_named_by_nobody_gets_its_name_when_it_tells_it(technician: APIClient, library: Library) -> None:
    [(device, _)] = swept(library, at(60, "connect", ports="80"))
    assert device.name == "Unknown at 127.20.10.60"
    [(again, _)] = swept(library, at(60, "page", title="Scoreboard"))
    assert Device.objects.get(id=again.id).name == "Scoreboard"


def test_a_refused_login_is_remembered_until_a_person_gives_one(technician: APIClient, library: Library) -> None:
    body = {"communities": ["quay"], "onvif": [{"name": "operator", "password": "first one"}]}
    assert technician.put(f"/api/lines/{NET}/access", body, format="json").status_code == 204
    shown = technician.get(f"/api/lines/{NET}").json()["access"]
    assert shown == {"communities": 1, "users": [], "onvif": ["operator"]}
    known = access.of_line(net())
    [login] = known.onvif
    for _ in range(2):
        known.refusals.refused("127.20.10.60", login)
    access.keep_refusals(net().id, known.refusals)
    assert not access.of_line(net()).refusals.may("127.20.10.60", login)
    assert technician.put(f"/api/lines/{NET}/access", {"onvif": body["onvif"]}, format="json").status_code == 204
    again = access.of_line(net())
    assert again.refusals.may("127.20.10.60", login)
    assert again.communities == ("quay",), "what was not given stays"
    assert technician.delete(f"/api/lines/{NET}/access").status_code == 204
    assert access.of_line(net()).communities == ("public",)


def test_taking_in_is_all_or_nothing_and_names_are_told_apart(technician: APIClient, library: Library) -> None:
    pairs = swept(library, *(at(60 + n, "onvif", maker="Nobody", title="Cam", serial=f"Z-{n}") for n in range(3)))
    Device.objects.filter(id=pairs[2][0].id).update(name="Pier head box")
    Device.objects.filter(taken_in=True).update(name="Cam 3")
    idents = [device.id for device, _ in pairs]
    refused = technician.post("/api/take-in", {"devices": idents, "name": "Cam {n}"}, format="json")
    assert refused.status_code == 409
    assert not Device.objects.filter(id__in=idents, taken_in=True).exists(), "the others were not taken in either"
    names = []
    for ident in idents:
        device = Device.objects.get(id=ident)
        names.append(decisions.take_in(device, decisions.own_name(device), None, "", library).name)
    assert names == ["Cam", "Cam Z-1", "Pier head box"]


def test_a_line_s_camera_login_is_used_for_cameras_that_have_none_of_their_own(
    technician: APIClient, library: Library
) -> None:
    known = {"types": "NetworkVideoTransmitter", "hardware": "C2"}
    pairs = swept(library, at(60, "onvif", maker="Nobody", serial="Z-1"), at(61, "onvif", serial="Z-2", **known))
    body = {"onvif": [{"name": name, "password": "quay"} for name in ("one", "two")]}
    answer = technician.put(f"/api/lines/{NET}/access", body, format="json")
    assert answer.status_code == 204, answer.content
    users = []
    for device, _ in pairs:
        device = records.with_access([device.id])[device.id]
        users.append([login.user for login in records.target_of(device, library).credentials])
    assert users == [["one", "two"], ["one", "two", "operator"]]
    device = pairs[0][0]
    own = {"user": "owner", "password": "mine"}
    assert technician.put(f"/api/devices/{device.id}/credentials", own, format="json").status_code in (200, 204)
    target = records.target_of(records.with_access([device.id])[device.id], library)
    assert [login.user for login in target.credentials] == ["owner"]
