"""Sessions of people: how they end, and what of them is stored."""

from datetime import timedelta

import pytest
from django.contrib.auth.models import User
from django.test import Client
from django.utils import timezone
from people import a_person

from paddock_server.people import last_seen
from paddock_server.people.loop import let_time_pass
from paddock_server.people.models import Passkey, RecoveryCode, Role, Session
from paddock_server.people.second_factor import new_recovery_codes, recovery_digest
from paddock_server.process.state import State, begin
from paddock_server.secret import digest

SESSION = "/api/v1/session/"
NEW = "another long secret"


@pytest.fixture(autouse=True)
def lookout():
    a_person("lookout", Role.VIEWER)


def log_in(**more):
    client = Client(**more)
    answer = client.post(SESSION, {"username": "lookout", "password": "tide-gauge"}, "application/json")
    assert answer.status_code == 200
    return client


def is_in(client):
    return client.get(SESSION).json()["name"] == "lookout"


def row():
    return Session.objects.exclude(user=None).get()


def test_the_database_has_only_the_hash_of_a_session():
    client = log_in(headers={"User-Agent": "Mozilla/5.0 (X11; Linux) Firefox/140.0"}, REMOTE_ADDR="10.9.8.7")
    key = client.cookies["paddock_session"].value
    found = row()
    assert found.session_key == digest(key)
    assert key not in found.session_data
    assert (found.address, found.method) == ("10.9.8.7", "password")
    assert found.browser.startswith("Mozilla")
    thief = Client()
    thief.cookies["paddock_session"] = found.session_key
    assert not is_in(thief)


@pytest.mark.parametrize(
    ("field", "ago", "over"),
    [
        ("last_seen_at", timedelta(hours=11), False),
        ("last_seen_at", timedelta(hours=13), True),
        ("opened_at", timedelta(days=6, hours=23), False),
        ("opened_at", timedelta(days=7, minutes=1), True),
        ("opened_at", -timedelta(hours=1), True),  # the clock was set back to before the log-in
        ("last_seen_at", -timedelta(hours=1), True),
        ("last_seen_at", -timedelta(minutes=1), False),
    ],
)
def test_a_session_ends_by_idleness_by_age_and_with_a_clock_that_jumps(field, ago, over):
    client = log_in()
    Session.objects.filter(pk=row().pk).update(**{field: timezone.now() - ago})
    assert is_in(client) is not over
    let_time_pass()
    assert Session.objects.exclude(user=None).exists() is not over


def test_a_session_that_is_used_is_seen_and_one_that_only_reloads_is_not():
    client = log_in()
    before = timezone.now() - timedelta(minutes=5)
    Session.objects.filter(pk=row().pk).update(last_seen_at=before)
    client.get("/api/v1/hosts/", headers={"Paddock-Unattended": "1"})
    assert row().last_seen_at == before
    begin(State())  # a minute later
    client.get("/api/v1/hosts/")
    assert timezone.now() - row().last_seen_at < last_seen.PRECISION


def test_a_password_change_ends_the_other_sessions():
    here, there = log_in(), log_in()
    body = {"old": "tide-gauge", "password": NEW}
    answer = here.post("/api/v1/me/password/", body, "application/json")
    assert answer.json() == {"sessions_ended": 1}
    assert (is_in(here), is_in(there)) == (True, False)
    assert User.objects.get().check_password(NEW)


@pytest.mark.parametrize(
    ("old", "new", "pointer"),
    [("wrong", NEW, "/old"), ("tide-gauge", "short", "/password"), ("tide-gauge", "lookout123", "/password")],
)
def test_a_password_that_will_not_do_changes_nothing(old, new, pointer):
    here, there = log_in(), log_in()
    answer = here.post("/api/v1/me/password/", {"old": old, "password": new}, "application/json")
    assert (answer.status_code, answer.json()["errors"][0]["pointer"]) == (400, pointer)
    assert is_in(here) and is_in(there)


def test_the_present_password_cannot_be_guessed_in_a_session():
    here = log_in()
    answers = [
        here.post("/api/v1/me/password/", {"old": f"x{n}", "password": NEW}, "application/json").status_code
        for n in range(30)
    ]
    assert answers[0] == 400
    assert answers[-1] == 429


def test_one_ends_ones_own_sessions_and_no_others():
    a_person("mate", Role.VIEWER)
    here, there = log_in(), log_in()
    sessions = here.get("/api/v1/me/").json()["sessions"]
    assert sorted(one["is_this"] for one in sessions) == [False, True]
    other = next(one["id"] for one in sessions if not one["is_this"])
    mate = Client()
    mate.post(SESSION, {"username": "mate", "password": "tide-gauge"}, "application/json")
    assert mate.delete(f"/api/v1/me/sessions/{other}/").status_code == 404
    assert here.delete("/api/v1/me/sessions/x/").status_code == 404
    assert here.delete(f"/api/v1/me/sessions/{other}/").status_code == 204
    assert (is_in(here), is_in(there)) == (True, False)
    log_in()
    assert here.delete("/api/v1/me/sessions/").json() == {"sessions_ended": 1}
    assert is_in(here)


def test_settings_of_ones_own():
    here = log_in()
    saved = here.patch("/api/v1/me/", {"time_zone": "Europe/Oslo", "clock_hours": "12"}, "application/json").json()
    assert (saved["time_zone"], saved["clock_hours"]) == ("Europe/Oslo", "12")
    assert here.get(SESSION).json()["time_zone"] == "Europe/Oslo"
    for wrong in ({"time_zone": "Mars/Olympus"}, {"clock_hours": "13"}, {"email": "no address"}):
        assert here.patch("/api/v1/me/", wrong, "application/json").status_code == 400


def with_passkey():
    user = User.objects.get(username="lookout")
    Passkey.objects.create(user=user, name="desk key", credential="AAAA", public_key=b"x")
    codes = new_recovery_codes()
    RecoveryCode.objects.bulk_create(RecoveryCode(user=user, digest=recovery_digest(code)) for code in codes)
    return codes


def second(client, **body):
    return client.post("/api/v1/session/second-factor/", body, "application/json")


def test_with_a_passkey_the_password_alone_lets_nobody_in_and_a_code_does_once():
    codes = with_passkey()
    client = log_in()
    assert not is_in(client)
    assert client.get(SESSION).json()["awaits_second_factor"] is True
    assert client.get("/api/v1/hosts/").status_code == 401
    assert second(client, recovery_code="wrong").status_code == 401
    assert second(client, credential={"id": "BBBB"}).status_code == 401
    assert second(client).status_code == 400
    assert second(client, recovery_code=codes[0].upper().replace("-", " ")).status_code == 200
    assert is_in(client)
    assert client.get("/api/v1/me/").json()["recovery_codes_left"] == 9
    again = log_in()
    assert second(again, recovery_code=codes[0]).status_code == 401


def test_a_second_factor_needs_the_first_and_comes_soon(monkeypatch):
    codes = with_passkey()
    assert second(Client(), recovery_code=codes[0]).status_code == 401
    client = log_in()
    session = client.session
    session["pending"] = {**session["pending"], "at": session["pending"]["at"] - 301}
    session.save()
    assert second(client, recovery_code=codes[0]).status_code == 401
    assert RecoveryCode.objects.filter(used_at=None).count() == 10


def test_guessing_codes_is_slowed_down():
    with_passkey()
    client = log_in()
    answers = [second(client, recovery_code=f"code {n}").status_code for n in range(25)]
    assert (answers[0], answers[-1]) == (401, 429)


def test_removing_the_last_passkey_ends_the_codes():
    codes = with_passkey()
    client = log_in()
    second(client, recovery_code=codes[0])
    assert client.delete(f"/api/v1/me/passkeys/{Passkey.objects.get().pk}/").status_code == 204
    assert not RecoveryCode.objects.exists()
    assert client.post("/api/v1/me/recovery-codes/").status_code == 409
    assert is_in(log_in())


def test_passkeys_need_a_name_of_the_server():
    client = log_in()
    answer = client.post("/api/v1/me/passkeys/options/", headers={"Host": "127.0.0.1"})
    assert (answer.status_code, "not for IP addresses" in answer.json()["detail"]) == (409, True)
    options = client.post("/api/v1/me/passkeys/options/", headers={"Host": "localhost"}).json()["options"]
    assert options["rp"]["id"] == "localhost"
    forged = {"name": "x", "credential": {"id": "AA", "rawId": "AA", "type": "public-key", "response": {}}}
    for _ in range(2):  # the second time without a challenge
        assert client.post("/api/v1/me/passkeys/", forged, "application/json").status_code == 400
    assert not Passkey.objects.exists()
