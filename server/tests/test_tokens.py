"""Tokens: what their scopes leave, where they reach, when they end."""

from datetime import timedelta

import pytest
from django.utils import timezone
from people import a_person
from rest_framework.test import APIClient

from paddock_core.access.roles import Scope
from paddock_server.people.actions.make_token import MAX_TOKENS, make_token
from paddock_server.people.actor import SERVER
from paddock_server.people.models import Role, Token

JOB = {"name": "n", "pipeline": "tide-gauge-firmware", "terms": [], "script": "true"}


def program(name, scope, paddocks=()):
    return with_token(make_token(SERVER, name, f"{scope} {paddocks}", Scope(scope), list(paddocks))[1])


def with_token(token, **more):
    return APIClient(headers={"Authorization": f"Bearer {token}"}, **more)


@pytest.mark.parametrize(
    ("scope", "reads", "sends", "holds", "makes_passes"),
    [
        ("read", 200, 403, 403, 403),
        ("jobs", 200, 201, 403, 403),
        ("operate", 200, 201, 200, 403),
        ("all", 200, 201, 200, 201),
    ],
)
def test_what_each_scope_may(administrator, new_host, shoreline, scope, reads, sends, holds, makes_passes):
    new_host("avocet-01", shoreline)
    client = program("harbourmaster", scope)
    assert client.get("/api/v1/hosts/").status_code == reads
    sent = client.post("/api/v1/jobs/", JOB, format="json")
    assert sent.status_code == sends, sent.json()
    if sends == 201:
        path = f"/api/v1/jobs/{sent.json()['id']}/"
        assert client.patch(path, {"priority": 5}, format="json").status_code == 200
        assert client.post(f"{path}cancel/").status_code == 200
    assert client.post("/api/v1/hosts/avocet-01/hold/").status_code == holds
    answer = client.post("/api/v1/passes/", {"paddock": "shoreline", "name": "p"}, format="json")
    assert answer.status_code == makes_passes


def test_a_viewer_gets_no_more_by_a_scope(viewer, new_host):
    new_host("avocet-01")
    client = program("lookout", "all")
    assert client.post("/api/v1/hosts/avocet-01/hold/").status_code == 403
    assert client.post("/api/v1/jobs/", JOB, format="json").status_code == 403


def test_a_token_for_one_paddock_sees_no_other(administrator, new_host, shoreline, orchard):
    new_host("avocet-01", shoreline)
    new_host("russet-01", orchard)
    client = program("harbourmaster", "all", ["shoreline"])
    assert [one["name"] for one in client.get("/api/v1/hosts/").json()["results"]] == ["avocet-01"]
    assert client.post("/api/v1/hosts/avocet-01/hold/").status_code == 200
    assert client.post("/api/v1/hosts/russet-01/hold/").status_code == 404
    assert client.post("/api/v1/paddocks/", {"name": "annex"}, format="json").status_code == 403
    assert client.get("/api/v1/people/").json()["may_manage"] is False


def test_a_token_follows_its_persons_roles_at_once(administrator, shoreline, new_host):
    new_host("avocet-01", shoreline)
    a_person("mate", Role.OPERATOR, shoreline)
    client = program("mate", "operate")
    assert client.post("/api/v1/hosts/avocet-01/hold/").status_code == 200
    body = {"paddock": "shoreline", "role": "viewer", "was": "operator"}
    administrator.put("/api/v1/people/mate/role/", body, format="json")
    refused = client.post("/api/v1/hosts/avocet-01/resume/")
    assert (refused.status_code, "The token operate" in refused.json()["detail"]) == (403, True)


def test_a_token_ends_is_revoked_and_says_so_to_who_has_it(viewer):
    made, token = make_token(SERVER, "lookout", "ci", Scope.READ, days=1)
    assert timedelta(hours=23) < made.ends_at - timezone.now() < timedelta(hours=25)
    client = with_token(token)
    Token.objects.filter(pk=made.pk).update(ends_at=timezone.now())
    ended = client.get("/api/v1/hosts/")
    assert (ended.status_code, "ended on" in ended.json()["detail"]) == (401, True)
    made, token = make_token(SERVER, "lookout", "second", Scope.READ)
    assert viewer.post(f"/api/v1/tokens/{made.pk}/revoke/").status_code == 204
    assert "lookout revoked the token second" in with_token(token).get("/api/v1/hosts/").json()["detail"]
    assert viewer.post(f"/api/v1/tokens/{made.pk}/revoke/").status_code == 409


def test_a_token_pasted_with_spaces_is_the_same(viewer):
    _, token = make_token(SERVER, "lookout", "ci")
    for pasted in (f" {token}", f"{token} ", f"{token[:20]} {token[20:]}"):
        assert with_token(pasted).get("/api/v1/hosts/").status_code == 200
    assert APIClient(headers={"Authorization": "Bearer"}).get("/api/v1/hosts/").status_code == 401


def test_when_and_from_where_a_token_was_last_used(viewer):
    made, token = make_token(SERVER, "lookout", "ci")
    with_token(token, REMOTE_ADDR="10.1.2.3").get("/api/v1/hosts/")
    made.refresh_from_db()
    first = made.last_used_at
    assert made.last_used_from == "10.1.2.3"
    with_token(token, REMOTE_ADDR="10.1.2.3").get("/api/v1/hosts/")
    made.refresh_from_db()
    assert made.last_used_at == first, "not written more than once a minute"
    with_token(token, REMOTE_ADDR="10.1.2.4").get("/api/v1/hosts/")
    made.refresh_from_db()
    assert made.last_used_from == "10.1.2.4", "but from elsewhere at once"


@pytest.mark.parametrize(
    ("body", "status"),
    [
        ({"name": " "}, 400),
        ({"name": "x", "days": 0}, 400),
        ({"name": "x", "days": 367}, 400),
        ({"name": "x", "scope": "root"}, 400),
        ({"name": "x", "paddocks": ["nowhere"]}, 404),
        ({"name": "taken"}, 400),
        ({"name": "x", "account": "none-such"}, 404),
    ],
)
def test_what_is_no_token(viewer, body, status):
    make_token(SERVER, "lookout", "taken")
    assert viewer.post("/api/v1/tokens/", body, format="json").status_code == status
    assert Token.objects.count() == 1


def test_tokens_are_bounded_and_by_default_end_after_90_days(viewer):
    made = viewer.post("/api/v1/tokens/", {"name": "x"}, format="json").json()
    days = (Token.objects.get(pk=made["id"]).ends_at - timezone.now()).days
    assert (made["scope"], days) == ("read", 89)
    for number in range(MAX_TOKENS - 1):
        make_token(SERVER, "lookout", f"t{number}")
    assert viewer.post("/api/v1/tokens/", {"name": "one more"}, format="json").status_code == 409


@pytest.mark.parametrize("scope", ["read", "jobs", "operate"])
def test_a_token_makes_itself_no_stronger_one(administrator, shoreline, scope):
    owner = a_person("chartwright", Role.VIEWER)
    body = {"name": "chart-bot", "role": "administrator", "owner": "chartwright"}
    administrator.post("/api/v1/service-accounts/", body, format="json")
    made = owner.post("/api/v1/tokens/", {"account": "chart-bot", "name": "good", "scope": "all"}, format="json")
    client = program("chartwright", scope)
    stronger = {"account": "chart-bot", "name": "stronger", "scope": "all"}
    assert client.post("/api/v1/tokens/", stronger, format="json").status_code == 403
    assert client.post(f"/api/v1/tokens/{made.json()['id']}/revoke/").status_code == 403
    assert not Token.objects.filter(name="stronger").exists()
