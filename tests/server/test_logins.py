"""By what a device is got into: its own login, its model's, the installation's, its factory's, at each level."""

from __future__ import annotations

from typing import Any

import pytest
from django.utils import timezone
from rest_framework.test import APIClient

from netloom_core.library.load import Library
from netloom_core.model.device import Credentials
from netloom_server.base.sealing import unseal
from netloom_server.host.devices import DeviceRecords
from netloom_server.installation.models import Credential, Device, Line, Secret, SharedLogin
from netloom_server.installation.services import codes, decisions, fitting, logins, records

FACTORY = [Credentials("", "1111", "user"), Credentials("", "402917"), Credentials("", "77777777", "master")]


@pytest.fixture
def keypad(site: None, library: Library) -> Device:
    line = Line.objects.create(name="Alarm port", kind="serial", path="/dev/ttyX", protocol="framed")
    return Device.objects.create(name="Alarm", profile="kestrel-ac3", line=line, address="direct", taken_in=True)


def known(device: Device, library: Library) -> list[Credentials]:
    return list(records.target_of(Device.objects.get(id=device.id), library).credentials)


def put(client: APIClient, path: str, body: dict[str, Any], status: int = 204) -> Any:
    answer = client.put(path, body, format="json")
    assert answer.status_code == status, answer.json()
    return answer


def test_a_level_is_entered_by_itself(technician: APIClient, keypad: Device, library: Library) -> None:
    assert known(keypad, library) == FACTORY
    put(technician, f"/api/devices/{keypad.id}/credentials", {"level": "master", "user": "", "password": "55556666"})
    assert known(keypad, library) == [*FACTORY[:2], Credentials("", "55556666", "master")]
    told = technician.get(f"/api/devices/{keypad.id}").json()["levels"]
    assert [(one["level"], one["label"], one["by"]) for one in told] == [
        ("user", "User's code", "factory"), ("", "Installer's code", "factory"), ("master", "Master code", "own"),
    ]  # fmt: skip
    assert "55556666" not in str(told)
    assert technician.delete(f"/api/devices/{keypad.id}/credentials?level=master").status_code == 204
    assert known(keypad, library) == FACTORY


def test_the_name_of_the_usual_level_is_the_usual_one(technician: APIClient, keypad: Device, library: Library) -> None:
    put(technician, f"/api/devices/{keypad.id}/credentials", {"level": "installer", "user": "", "password": "998877"})
    assert Credential.objects.get(device=keypad).level == ""
    refused = put(
        technician, f"/api/devices/{keypad.id}/credentials", {"level": "root", "user": "", "password": "x"}, 400
    )
    assert "It has user, installer, master" in refused.json()["error"]["try"]


def test_a_models_login_goes_before_the_installations_and_both_before_the_factorys(
    technician: APIClient, keypad: Device, library: Library
) -> None:
    put(technician, "/api/logins", {"user": "", "password": "121212", "level": "installer"}, 200)
    assert known(keypad, library)[1:3] == [Credentials("", "121212"), FACTORY[1]], "the installation's by the name"
    put(technician, "/api/logins", {"profile": "kestrel-ac3", "user": "", "password": "343434"}, 200)
    assert known(keypad, library)[1:3] == [Credentials("", "343434"), FACTORY[1]]
    put(technician, f"/api/devices/{keypad.id}/credentials", {"user": "", "password": "565656"})
    assert known(keypad, library)[1:2] == [Credentials("", "565656")], "its own alone, whatever others have"
    told = technician.get("/api/logins").json()["logins"]
    assert [(one["profile"], one["level"]) for one in told] == [("", "installer"), ("kestrel-ac3", "")]
    assert "343434" not in str(told)
    for one in told:
        assert technician.delete(f"/api/logins/{one['id']}").status_code == 204
    assert not SharedLogin.objects.exists()
    assert technician.delete("/api/logins/1").status_code == 404
    assert technician.delete("/api/logins/x").status_code == 404


def test_the_installations_code_is_told_to_none_that_has_no_code(
    technician: APIClient, keypad: Device, library: Library
) -> None:
    """A community of SNMP is a nameless password, too: it would go out as one."""
    switch = Device.objects.create(name="Switch", profile="marrowby-sw24", line=Line.objects.filter(kind="ip").first(),
                                   address="127.20.10.99", taken_in=True)  # fmt: skip
    put(technician, "/api/logins", {"user": "", "password": "house-code"}, 200)
    assert all(one.password != "house-code" for one in known(switch, library))
    assert Credentials("", "house-code") in known(keypad, library)


def test_the_installations_code_is_told_to_none_that_does_not_say_first_who_it_is(
    technician: APIClient, keypad: Device, library: Library
) -> None:
    first = {one.id for one in library if all(channel.known_first for channel in one.channels.values())}
    late = next(one for one in library if one.id not in first and one.factory.password)
    line = Line.objects.filter(kind="ip").first()
    shell = Device.objects.create(name="Shell", profile=late.id, line=line, address="127.20.10.98", taken_in=True)
    put(technician, "/api/logins", {"user": "admin", "password": "house-code"}, 200)
    assert all(one.password != "house-code" for one in known(shell, library))
    put(technician, "/api/logins", {"profile": late.id, "user": "admin", "password": "for-the-model"}, 200)
    assert known(shell, library)[0].password == "for-the-model", "for its model somebody said so"


def test_a_shared_login_is_for_a_model_and_a_level_that_there_are(technician: APIClient, keypad: Device) -> None:
    assert put(technician, "/api/logins", {"profile": "no-such", "user": "", "password": "x"}, 400)
    put(technician, "/api/logins", {"level": "root", "user": "", "password": "x"}, 400)
    put(technician, "/api/logins", {"profile": "hallvane-rx8", "level": "master", "user": "", "password": "x"}, 400)
    assert not SharedLogin.objects.exists()


def test_only_who_may_change_devices_keeps_logins_for_many(viewer: APIClient, keypad: Device) -> None:
    put(viewer, "/api/logins", {"user": "", "password": "x"}, 403)
    assert viewer.get("/api/logins").status_code == 200


def test_a_code_decided_for_a_level_counts_at_that_level_until_it_is_proven(keypad: Device, library: Library) -> None:
    decisions.set_intended([(keypad.id, "/access/master", "31415926")], library, by="eve")
    assert known(keypad, library) == [*FACTORY, Credentials("", "31415926", "master")]
    secret = Secret.objects.get(device=keypad)
    DeviceRecords(library)._save_secret(keypad.id, "/access/master", f"secret:{secret.id}", "", "master")
    assert unseal(bytes(Credential.objects.get(device=keypad, level="master").secret)) == "31415926"
    assert known(keypad, library) == [*FACTORY[:2], Credentials("", "31415926", "master")]
    profile = library.need("kestrel-ac3")
    Device.objects.filter(id=keypad.id).update(seen=timezone.now())
    keypad.refresh_from_db()
    assert codes.standing(keypad, profile, {"", "user", "master"}) == "own"
    assert codes.standing(keypad, profile, {"", "master"}) == "factory", "one of them still is"


def test_a_code_that_was_sent_and_never_settled_counts_whatever_is_decided_later(
    keypad: Device, library: Library
) -> None:
    """It may be the one on the device: the proof of it was lost, and somebody decided another one since."""
    kept = DeviceRecords(library)
    decisions.set_intended([(keypad.id, "/access/master", "11112222")], library, by="eve")
    first = Secret.objects.get(device=keypad)
    kept._expect_login(keypad.id, "master", f"secret:{first.id}")
    decisions.set_intended([(keypad.id, "/access/master", "33334444")], library, by="eve")
    masters = [one.password for one in known(keypad, library) if one.level == "master"]
    assert masters == ["77777777", "33334444", "11112222"]
    for n in range(5):  # no more are tried than a device bears
        decisions.set_intended([(keypad.id, "/access/master", f"5555000{n}")], library, by="eve")
        kept._expect_login(keypad.id, "master", f"secret:{Secret.objects.order_by('-set_at')[0].id}")
    assert len([one for one in known(keypad, library) if one.level == "master"]) <= 2 + logins.MOST_SENT
    newest = Secret.objects.order_by("-set_at")[0]
    kept._save_secret(keypad.id, "/access/master", f"secret:{newest.id}", "", "master")
    assert [one.password for one in known(keypad, library) if one.level == "master"] == ["55550004"]
    kept._expect_login(keypad.id, "master", f"secret:{first.id}")
    kept._expect_login(keypad.id, "master", "")
    assert [one.password for one in known(keypad, library) if one.level == "master"] == ["55550004"]


def test_what_is_merged_keeps_a_login_of_each_level(keypad: Device, library: Library) -> None:
    other = Device.objects.create(name="Alarm again", profile="kestrel-ac3", line=keypad.line, address="direct")
    logins.save(keypad, "", "", "mine", "eve")
    logins.save(other, "", "", "theirs", "eve")
    logins.save(other, "master", "", "their master", "eve")
    fitting.merge(keypad, other)
    kept = {one.level: unseal(bytes(one.secret)) for one in Credential.objects.filter(device=keypad)}
    assert kept == {"": "mine", "master": "their master"}


def test_two_codes_of_one_device_are_never_alike(technician: APIClient, keypad: Device, library: Library) -> None:
    same = technician.post("/api/codes", {"devices": [keypad.id], "pattern": "246810"}, format="json")
    assert same.status_code == 409
    assert not Secret.objects.filter(device=keypad).exists()
    one = technician.post(
        "/api/codes", {"devices": [keypad.id], "pattern": "246810", "levels": ["master"]}, format="json"
    )
    assert [row["level"] for row in one.json()["codes"]] == ["master"]
    none = technician.post("/api/codes", {"devices": [keypad.id], "levels": ["service"]}, format="json")
    assert "of the level service" in none.json()["error"]["message"]
