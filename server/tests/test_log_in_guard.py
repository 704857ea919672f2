"""Guessing passwords: by address and by person, and never a way to lock a_person out."""

from __future__ import annotations

from datetime import timedelta

import pytest
from django.contrib.auth.models import User
from django.test import Client
from django.utils import timezone
from people import a_person

from paddock_core.guessing import wait_after
from paddock_server.access.actions.add_user import add_user
from paddock_server.errors import Invalid
from paddock_server.health.observed_fleet import SeenFleet
from paddock_server.logbook.models import Entry
from paddock_server.people import log_in_guard
from paddock_server.people.actor import SERVER
from paddock_server.people.models import KnownPlace, Role, WrongLogIns


@pytest.fixture(autouse=True)
def harbourmaster():
    a_person("harbourmaster", Role.ADMINISTRATOR)


def log_in(name="harbourmaster", password="wrong", address="10.0.0.1", **headers):
    body = {"username": name, "password": password}
    client = Client(REMOTE_ADDR=address, headers=headers)
    return client.post("/api/v1/session/", body, content_type="application/json")


def guess(times, **more):
    """``times`` wrong tries, as slowly as the guard wants them."""
    for _ in range(times):
        WrongLogIns.objects.update(last_at=timezone.now() - timedelta(minutes=20))
        assert log_in(**more).status_code == 401


def test_one_person_is_guessed_at_from_many_addresses():
    statuses = [log_in(address=f"10.0.1.{n}").status_code for n in range(8)]
    assert statuses[0] == 401
    assert statuses[-1] == 429
    assert log_in(password="tide-gauge", address="10.0.2.1").status_code == 429, (
        "the answer does not show whether it is right"
    )


def test_many_people_are_guessed_at_from_one_address():
    statuses = [log_in(name=f"person-{n}").status_code for n in range(25)]
    assert (statuses[0], statuses[-1]) == (401, 429)
    assert log_in(name="another", address="10.0.0.2").status_code == 401


@pytest.mark.parametrize("header", ["X-Forwarded-For", "X-Real-Ip", "Forwarded"])
def test_the_clients_own_word_on_where_it_is_counts_for_nothing(header):
    statuses = [log_in(name=f"p{n}", **{header: f"192.0.2.{n}"}).status_code for n in range(25)]
    assert statuses[-1] == 429
    assert not WrongLogIns.objects.filter(subject__startswith="192.0.2.").exists()


def test_where_a_person_logged_in_before_others_guessing_locks_nobody_out():
    assert log_in(password="tide-gauge", address="10.0.0.7").status_code == 200
    for n in range(8):
        log_in(address=f"10.0.1.{n}")
    assert log_in(password="tide-gauge", address="10.0.1.9").status_code == 429
    assert log_in(password="tide-gauge", address="10.0.0.7").status_code == 200
    KnownPlace.objects.update(last_at=timezone.now() - log_in_guard.KNOWN_FOR - timedelta(minutes=1))
    for n in range(8):
        log_in(address=f"10.0.1.{n}")
    assert log_in(password="tide-gauge", address="10.0.0.7").status_code == 429


@pytest.mark.parametrize("name", ["HARBOURMASTER", "harbourmaster"])
def test_a_name_in_other_letters_is_the_same_persons(name):
    guess(6, name=name)
    assert log_in(name="harbourmaster", address="10.0.0.99").status_code == 429


def test_the_last_free_try_and_the_first_that_waits():
    free = log_in_guard.FREE_TRIES["account"]
    for n in range(free):
        assert log_in(address=f"10.0.1.{n}").status_code == 401
    answer = log_in(address="10.0.1.99")
    assert (answer.status_code, 0 < int(answer["Retry-After"]) <= 3) == (429, True)
    WrongLogIns.objects.update(last_at=timezone.now() - timedelta(seconds=wait_after(free, free)))
    assert log_in(address="10.0.1.99").status_code == 401


def test_the_logbook_has_log_ins_and_refusals_and_is_not_filled_by_them():
    log_in(password="tide-gauge")
    guess(40, name="harbourmaster", address="10.0.0.66")
    lines = list(Entry.objects.filter(noun="person").order_by("id").values_list("verb", "who", "details"))
    assert lines[0] == ("logged in", "harbourmaster", {"address": "10.0.0.1", "method": "password"})
    refused = [details["tries"] for verb, _, details in lines if verb == "refused to log in"]
    assert refused == [1, 2, 4, 8, 16, 32]


def test_guessing_that_goes_on_is_a_finding_and_ends_by_itself():
    guess(5)
    now = timezone.now()
    assert SeenFleet().look(now.timestamp()) == []
    guess(20)
    codes = {(one.code, one.about) for one in SeenFleet().look(now.timestamp())}
    assert codes == {("passwords-guessed", "account harbourmaster"), ("passwords-guessed", "address 10.0.0.1")}
    WrongLogIns.objects.update(last_at=now - log_in_guard.FORGOTTEN_AFTER - timedelta(seconds=1))
    assert SeenFleet().look(now.timestamp()) == []


def test_what_is_counted_is_bounded(monkeypatch):
    monkeypatch.setattr(log_in_guard, "MAX_COUNTED", 10)
    for n in range(40):
        log_in_guard.count_wrong(f"name-{n}", f"10.1.0.{n}", timezone.now())
    assert WrongLogIns.objects.count() <= 11


@pytest.mark.parametrize("password", ["harbourmaster", "Harbourmaster1", "harbour-master"])
def test_a_password_that_is_the_name_is_refused(password):
    User.objects.all().delete()
    with pytest.raises(Invalid, match="similar to the username"):
        add_user(SERVER, "harbourmaster", password, Role.VIEWER)
