"""People: there is always a lead, ways in can be ended, a second factor, tokens for scripts, lock-out."""

from __future__ import annotations

import time
from datetime import timedelta
from typing import Any

import pytest
from cryptography.hazmat.primitives.hashes import SHA1
from cryptography.hazmat.primitives.twofactor.totp import TOTP
from django.conf import settings
from django.test import Client
from django.utils import timezone
from rest_framework.test import APIClient

from netloom_server.accounts.authentication import owner
from netloom_server.accounts.models import AccessToken, User
from netloom_server.accounts.services import second
from netloom_server.base.sealing import unseal
from netloom_server.host.engine import engine
from netloom_server.runs.models import JournalEntry

WORD = "a long enough word"
pytestmark = pytest.mark.django_db


def person(name: str, role: str = "technician") -> User:
    return User.objects.create_user(name, password=WORD, role=role)


def sign_in(name: str, word: str = WORD, code: str = "", client: Client | None = None) -> tuple[Client, Any]:
    client = client or Client()
    data = {"username": name, "password": word, **({"code": code} if code else {})}
    return client, client.post("/api/session", data, content_type="application/json")


def by(user: User) -> APIClient:
    client = APIClient()
    client.force_authenticate(user)
    return client


def test_the_last_lead_can_neither_be_demoted_nor_disabled() -> None:
    lead, other = person("ada", "lead"), person("bo")
    for change in ({"role": "viewer"}, {"active": False}):
        answer = by(lead).patch(f"/api/people/{lead.pk}", change, format="json")
        assert (answer.status_code, answer.json()["error"]["code"]) == (409, "conflict")
    assert by(lead).patch(f"/api/people/{other.pk}", {"role": "lead"}, format="json").status_code == 200
    assert by(lead).patch(f"/api/people/{lead.pk}", {"role": "viewer"}, format="json").status_code == 200
    other.refresh_from_db()
    assert by(other).patch(f"/api/people/{other.pk}", {"active": False}, format="json").status_code == 409


def test_who_has_the_data_folder_is_a_lead_whatever_was_made_of_the_owner() -> None:
    one = owner()
    person("ada", "lead")
    User.objects.filter(pk=one.pk).update(role="viewer", is_active=False)
    headers = {"Authorization": f"Bearer {settings.OWNER_TOKEN}"}
    assert Client().get("/api/people", headers=headers).status_code == 200
    assert (owner().role, owner().is_active) == ("lead", True)


@pytest.mark.parametrize("change", [{"active": False}, {"password": "another long word"}, "end"], ids=str)
def test_ways_in_end_at_once(change: Any) -> None:
    lead, other = person("ada", "lead"), person("bo")
    browser, answer = sign_in("bo")
    assert answer.status_code == 200
    token = by(other).post("/api/session/tokens", {"name": "t", "role": "viewer"}, format="json").json()["token"]
    script = {"Authorization": f"Bearer {token}"}
    assert Client().get("/api/devices", headers=script).status_code == 200
    link = by(lead).post("/api/people/bo/link").json()["path"]
    seen = engine().events.people
    if change == "end":
        assert by(lead).delete(f"/api/people/{other.pk}/sessions").status_code == 204
    else:
        assert by(lead).patch(f"/api/people/{other.pk}", change, format="json").status_code == 200
    assert engine().events.people > seen, "the streams look"
    assert browser.get("/api/session").status_code == 401
    assert Client().get("/api/devices", headers=script).status_code == 401
    late = Client()
    late.get(link)
    assert late.get("/api/session").status_code == 401
    assert JournalEntry.objects.filter(kind="act").exists(), "who did it is in the journal"


def test_one_changes_the_own_password_and_only_this_session_goes_on() -> None:
    person("bo")
    here, _ = sign_in("bo")
    there, _ = sign_in("bo")
    wrong = here.post("/api/session/password", {"old": "no", "new": "another long word"}, "application/json")
    assert wrong.status_code == 400
    weak = here.post("/api/session/password", {"old": WORD, "new": "short"}, "application/json")
    assert weak.status_code == 400
    done = here.post("/api/session/password", {"old": WORD, "new": "another long word"}, "application/json")
    assert done.status_code == 204
    assert here.get("/api/session").status_code == 200
    assert there.get("/api/session").status_code == 401
    assert sign_in("bo", WORD)[1].status_code == 403
    assert sign_in("bo", "another long word")[1].status_code == 200


def code_of(user: User, steps: int = 0) -> str:
    key = bytes.fromhex(unseal(bytes(User.objects.get(pk=user.pk).second)))
    return TOTP(key, 6, SHA1(), 30).generate(int(time.time()) + 30 * steps).decode()


def test_the_code_is_the_standards() -> None:
    """RFC 6238, appendix B, SHA-1, in six digits."""
    totp = second._totp(b"12345678901234567890")
    assert [totp.generate(at).decode() for at in (59, 1111111109, 20000000000)] == ["287082", "081804", "353130"]


def test_a_second_factor_counts_once_it_was_shown_and_each_code_once() -> None:
    user = person("bo")
    browser, _ = sign_in("bo")
    told = browser.post("/api/session/second-factor").json()
    assert told["address"].startswith("otpauth://totp/Netloom:bo?")
    assert sign_in("bo")[1].status_code == 200, "not shown yet, so it is not asked for"
    assert browser.put("/api/session/second-factor", {"code": "000000x"}, "application/json").status_code == 400
    assert browser.put("/api/session/second-factor", {"code": code_of(user)}, "application/json").status_code == 204
    assert sign_in("bo")[1].json()["error"]["code"] == "second-factor"
    following = code_of(user, 1)
    assert sign_in("bo", code=following)[1].status_code == 200
    again = sign_in("bo", code=following)[1]
    assert (again.status_code, again.json()["error"]["code"]) == (403, "wrong-code"), "it was used already"
    assert told["key"] not in str(User.objects.filter(pk=user.pk).values()), "its key is encrypted"
    lead = person("ada", "lead")
    assert by(lead).patch(f"/api/people/{user.pk}", {"second_factor": False}, format="json").status_code == 200
    assert sign_in("bo")[1].status_code == 200


def test_a_token_is_at_most_its_person_has_an_end_and_a_last_use() -> None:
    user = person("bo")
    mine = by(user)
    assert mine.post("/api/session/tokens", {"name": "t", "role": "lead"}, format="json").status_code == 400
    made = mine.post("/api/session/tokens", {"name": "t", "role": "viewer", "days": 1}, format="json").json()
    script = {"Authorization": f"Bearer {made['token']}"}
    assert Client().get("/api/devices", headers=script).status_code == 200
    assert Client().post("/api/runs", {"kind": "sweep"}, "application/json", headers=script).status_code == 403
    [listed] = mine.get("/api/session/tokens").json()
    assert listed["used"]
    assert "token" not in listed
    assert made["token"] not in str(list(AccessToken.objects.values()))
    AccessToken.objects.update(expires=timezone.now() - timedelta(seconds=1))
    assert Client().get("/api/devices", headers=script).status_code == 401
    assert mine.delete(f"/api/session/tokens/{made['id']}").status_code == 204


def test_a_token_can_not_make_itself_more_than_it_is() -> None:
    lead = person("ada", "lead")
    token = by(lead).post("/api/session/tokens", {"name": "t", "role": "viewer"}, format="json").json()["token"]
    script = Client(headers={"Authorization": f"Bearer {token}"})
    calls = [
        ("post", "/api/session/tokens", {"name": "more", "role": "lead"}),
        ("post", "/api/session/password", {"old": WORD, "new": "another long word"}),
        ("post", "/api/session/second-factor", {}),
        ("post", "/api/people", {"username": "cy", "role": "lead"}),
        ("post", "/api/people/ada/link", {}),
    ]
    for method, path, data in calls:
        assert getattr(script, method)(path, data, content_type="application/json").status_code == 403, path
    assert AccessToken.objects.count() == 1


def test_too_many_wrong_attempts_lock_the_name_and_a_false_source_does_not_help() -> None:
    person("bo")
    for number in range(settings.AXES_FAILURE_LIMIT):
        client = Client(headers={"X-Forwarded-For": f"10.0.0.{number}"})
        _, answer = sign_in("bo", "wrong", client=client)
    assert answer.status_code == 429
    told = answer.json()["error"]
    assert (told["code"], bool(told["try"])) == ("locked-out", True)
    _, answer = sign_in("bo", client=Client(headers={"X-Forwarded-For": "10.9.9.9"}))
    assert answer.status_code == 429


def test_a_person_without_a_password_comes_in_by_the_link_once() -> None:
    lead = person("ada", "lead")
    assert by(lead).post("/api/people", {"username": "cy", "role": "viewer"}, format="json").status_code == 201
    path = by(lead).post("/api/people/cy/link").json()["path"]
    browser = Client()
    browser.get(path)
    assert browser.get("/api/session").json()["username"] == "cy"
    assert browser.post("/api/session/password", {"old": "", "new": WORD}, "application/json").status_code == 204
    again = Client()
    again.get(path)
    assert again.get("/api/session").status_code == 401
