"""Who gets in: logins, tokens, roles, passes, the gate."""

from datetime import timedelta

import msgspec
import pytest
from django.test import Client
from django.utils import timezone
from people import FACTS, a_person
from rest_framework.test import APIClient

from paddock_agent import wire
from paddock_core.link_state import Link
from paddock_server.hosts.models import EntryPass, Host
from paddock_server.hosts.queries import host_with_key
from paddock_server.logbook.models import Entry
from paddock_server.people.actions.make_token import make_token
from paddock_server.people.actor import SERVER
from paddock_server.people.models import Role, Token


@pytest.mark.parametrize(
    ("path", "status"),
    [
        ("/api/v1/nothing/here", 404),
        ("/api/v2/", 404),
        ("/agent/v9/join", 404),
        ("/static/none.js", 404),
        ("/api/v1/hosts/", 401),
    ],
)
def test_every_error_is_a_problem(path, status):
    answer = Client().get(path)
    assert answer.status_code == status
    assert answer.headers["Content-Type"] == "application/problem+json"
    assert {"type", "title", "status", "detail"} <= set(answer.json())


def test_a_name_that_the_server_does_not_go_by_is_said():
    answer = Client(headers={"Host": "elsewhere.example"}).get("/api/v1/hosts/")
    assert (answer.status_code, answer.headers["Content-Type"]) == (400, "application/problem+json")
    assert "PADDOCK_HOSTS" in answer.json()["detail"]


def test_wrong_methods_and_bodies_are_problems_too(administrator):
    for answer in (
        administrator.delete("/api/v1/jobs/"),
        administrator.post("/api/v1/jobs/", "{", content_type="application/json"),
        administrator.post("/api/v1/jobs/", "<job/>", content_type="text/xml"),
        administrator.get("/api/v1/hosts/nobody/"),
        administrator.get("/api/v1/hosts/?page=99"),
    ):
        assert answer.status_code in (400, 404, 405, 415)
        assert answer.headers["Content-Type"] == "application/problem+json"


def test_logging_in_and_out_over_a_session():
    a_person("harbourmaster", Role.ADMINISTRATOR)
    client = Client(enforce_csrf_checks=True)
    assert client.get("/api/v1/session/").json()["name"] is None
    headers = {"X-CSRFToken": client.cookies["paddock_csrf"].value}

    def log_in(password, **more):
        body = {"username": "harbourmaster", "password": password}
        return client.post("/api/v1/session/", body, content_type="application/json", **more)

    assert log_in("tide-gauge").status_code == 403, "without the token of the page"
    wrong = log_in("wrong", headers=headers)
    assert (wrong.status_code, wrong.headers["Content-Type"]) == (401, "application/problem+json")
    right = log_in("tide-gauge", headers=headers)
    assert (right.json()["name"], right.json()["role"]) == ("harbourmaster", "administrator")
    assert right.json()["awaits_second_factor"] is False
    assert client.get("/api/v1/hosts/").status_code == 200
    headers = {"X-CSRFToken": client.cookies["paddock_csrf"].value}
    assert client.delete("/api/v1/session/", headers=headers).json() == {"provider_log_out": ""}
    assert client.get("/api/v1/hosts/").status_code == 401


def test_guessing_passwords_is_slowed_down():
    client = Client()
    answers = [
        client.post(
            "/api/v1/session/", {"username": "x", "password": str(i)}, content_type="application/json"
        ).status_code
        for i in range(25)
    ]
    assert answers[0] == 401
    assert answers[-1] == 429


def test_a_token_is_kept_as_a_hash_and_acts_for_its_person(viewer):
    token = make_token(SERVER, "lookout", "ci")[1]
    client = APIClient(headers={"Authorization": f"Bearer {token}"})
    assert client.get("/api/v1/hosts/").status_code == 200
    assert not Token.objects.filter(digest__contains=token[-20:]).exists()
    answer = APIClient(headers={"Authorization": "Bearer paddock-token-wrong"}).get("/api/v1/hosts/")
    assert (answer.status_code, answer.headers["WWW-Authenticate"]) == (401, "Bearer")
    assert "This token is unknown" in answer.json()["detail"]


ACTS = [
    ("post", "/api/v1/paddocks/", {"name": "annex"}, "administrator"),
    ("post", "/api/v1/passes/", {"paddock": "shoreline", "name": "p"}, "administrator"),
    ("post", "/api/v1/hosts/avocet-01/hold/", {}, "operator"),
    ("post", "/api/v1/hosts/avocet-01/resume/", {}, "operator"),
    ("post", "/api/v1/hosts/avocet-01/drain/", {}, "operator"),
    ("post", "/api/v1/hosts/avocet-01/survey/", {}, "operator"),
    ("patch", "/api/v1/hosts/avocet-01/", {"slots": 3}, "administrator"),
    ("post", "/api/v1/hosts/curlew-01/admit/", {}, "administrator"),
    ("post", "/api/v1/hosts/sanderling-01/turn-away/", {}, "administrator"),
    ("post", "/api/v1/jobs/", {"name": "n", "pipeline": "p", "terms": [], "script": "true"}, "operator"),
    ("post", "/api/v1/fit/", {"terms": []}, "viewer"),
]


def test_each_act_asks_for_its_role_and_writes_the_logbook(new_host, viewer, operator, administrator):
    new_host("avocet-01")
    new_host("curlew-01", admitted=False)
    new_host("sanderling-01", admitted=False)
    ranks = ["viewer", "operator", "administrator"]
    for method, path, body, needs in ACTS:
        for rank, client in zip(ranks, (viewer, operator, administrator), strict=True):
            before = Entry.objects.exclude(verb="refused").count()
            answer = getattr(client, method)(path, body, format="json")
            if ranks.index(rank) < ranks.index(needs):
                assert answer.status_code == 403, (rank, path)
                assert f"role {needs}" in answer.json()["detail"]
                assert Entry.objects.exclude(verb="refused").count() == before, (rank, path)
            elif rank == needs:
                assert answer.status_code < 300, (rank, path, answer.json())
                assert needs == "viewer" or Entry.objects.count() > before, (rank, path)


def test_a_role_for_one_paddock_reaches_no_other(new_host, shoreline, orchard):
    new_host("avocet-01", shoreline)
    new_host("russet-01", orchard)
    loop = a_person("loop", Role.ADMINISTRATOR, shoreline)
    assert [one["name"] for one in loop.get("/api/v1/hosts/").json()["results"]] == ["avocet-01"]
    assert [one["name"] for one in loop.get("/api/v1/yard/").json()["paddocks"]] == ["shoreline"]
    assert loop.get("/api/v1/hosts/russet-01/").status_code == 404
    assert loop.post("/api/v1/hosts/avocet-01/hold/").status_code == 200
    assert loop.post("/api/v1/paddocks/", {"name": "annex"}, format="json").status_code == 403
    assert {one["paddock"] for one in loop.get("/api/v1/logbook/").json()["results"]} == {"shoreline"}
    fit = loop.post("/api/v1/fit/", {"terms": ["os linux"]}, format="json").json()
    assert [row["host"] for row in fit["hosts"]] == ["avocet-01"]


def test_people_without_a_role_see_nothing(new_host):
    new_host()
    stranger = a_person("stranger", None)
    assert stranger.get("/api/v1/hosts/").json()["results"] == []
    assert stranger.get("/api/v1/jobs/").status_code == 403


def ask_to_join(secret, name="dunlin-01", **more):
    asked = wire.JoinRequest(secret, FACTS, name, **more)
    return Client().post("/agent/v1/join", msgspec.json.encode(asked), content_type="application/json")


def make_a_pass(client, **more):
    body = {"paddock": "shoreline", "name": "for tests", **more}
    return client.post("/api/v1/passes/", body, format="json").json()


def test_a_pass_is_shown_once_and_lets_an_agent_stand_at_the_gate(administrator, shoreline):
    made = make_a_pass(administrator, labels=["Bench-Rig "])
    listed = administrator.get("/api/v1/passes/").json()["results"][0]
    assert "secret" not in listed
    assert not EntryPass.objects.filter(digest__contains=made["secret"][-20:]).exists()
    answer = ask_to_join(f"  {made['secret']}\n")
    assert answer.status_code == 201
    assert answer.json()["admitted"] is False
    host = Host.objects.get(name="dunlin-01")
    assert (host.standing, host.labels, host.slots) == ("at the gate", ["bench-rig"], 4)
    assert host_with_key(answer.json()["key"]) == host
    assert host_with_key("paddock-key-wrong") is None
    assert host_with_key("") is None


def test_a_pass_that_is_no_longer_good_says_why(administrator, shoreline):
    wrong = ask_to_join("paddock-pass-wrong")
    assert (wrong.status_code, wrong.headers["Content-Type"]) == (403, "application/problem+json")
    assert "knows no such entry pass" in wrong.json()["detail"]

    used = make_a_pass(administrator)["secret"]
    assert ask_to_join(used).status_code == 201
    assert "used up: it was good for joining once" in ask_to_join(used, "dunlin-02").json()["detail"]

    revoked = make_a_pass(administrator)
    administrator.post(f"/api/v1/passes/{revoked['id']}/revoke/")
    assert "was revoked" in ask_to_join(revoked["secret"]).json()["detail"]
    assert administrator.post(f"/api/v1/passes/{revoked['id']}/revoke/").status_code == 409

    over = make_a_pass(administrator)
    EntryPass.objects.filter(pk=over["id"]).update(ends_at=timezone.now() - timedelta(minutes=1))
    assert "ended on" in ask_to_join(over["secret"]).json()["detail"]
    assert Host.objects.count() == 1


@pytest.mark.parametrize(
    ("change", "status", "says"),
    [
        ({"name": "DUNLIN-01"}, 409, "already"),
        ({"name": "two words"}, 400, "A name has letters"),
        ({"name": "<b>"}, 400, "A name has letters"),
        ({"name": "x", "labels": ["no spaces please"]}, 400, "cannot be a label"),
    ],
)
def test_a_name_or_label_that_will_not_do_is_said_and_costs_no_use(administrator, shoreline, change, status, says):
    secret = make_a_pass(administrator, uses=2)["secret"]
    ask_to_join(secret)
    answer = ask_to_join(secret, **change)
    assert answer.status_code == status
    assert says in answer.json()["detail"]
    assert EntryPass.objects.get().used == 1


def test_rubbish_is_no_request_to_join():
    answer = Client().post("/agent/v1/join", b'{"secret": 5}', content_type="application/json")
    assert answer.status_code == 400
    assert "not a join request" in answer.json()["detail"]


def test_admitting_and_turning_away(administrator, new_host):
    new_host("avocet-01", admitted=False)
    key = new_host("curlew-01", admitted=False).key
    assert administrator.post("/api/v1/hosts/avocet-01/admit/").json()["standing"] == "admitted"
    again = administrator.post("/api/v1/hosts/avocet-01/admit/")
    assert (again.status_code, "does not stand at the gate" in again.json()["detail"]) == (409, True)
    assert administrator.post("/api/v1/hosts/avocet-01/turn-away/").status_code == 409
    reason = {"reason": "not one of ours"}
    assert administrator.post("/api/v1/hosts/curlew-01/turn-away/", reason, format="json").status_code == 204
    assert administrator.get("/api/v1/hosts/curlew-01/").json()["standing"] == "turned away"
    assert host_with_key(key) is None
    assert Host.objects.get(name="curlew-01").link == Link.STOPPED
    assert Entry.objects.get(verb="turned away").details == reason
    new_host("curlew-01")  # the name is free again


def test_the_logbook_takes_no_change():
    make_line = Entry.objects.create(who="x", verb="made", noun="pass", thing="t")
    with pytest.raises(TypeError):
        make_line.save()
    with pytest.raises(TypeError):
        make_line.delete()
