"""The people: invitations, roles, shutting out, service accounts, what each may do where."""

import csv
import io
from datetime import timedelta

import pytest
from django.contrib.auth.models import User
from django.test import Client
from django.utils import timezone
from people import a_person
from rest_framework.test import APIClient

from paddock_core.access.roles import Scope
from paddock_server.access.actions.rescue import rescue
from paddock_server.access.actions.shut_out import disable
from paddock_server.logbook.models import Entry
from paddock_server.people.actions.make_token import make_token
from paddock_server.people.actor import COMMAND_LINE, SERVER
from paddock_server.people.loop import let_time_pass
from paddock_server.people.models import Grant, Invitation, Role, Session

PEOPLE = "/api/v1/people/"
GOOD = "a long enough secret"


def invite(client, name="boatswain", role="operator", **more):
    return client.post(PEOPLE, {"name": name, "role": role, **more}, format="json")


def secret_of(answer):
    return answer.json()["link"].partition("#")[2]


def accept(link, password=GOOD):
    client = APIClient()
    return client, client.post("/api/v1/links/accept/", {"link": link, "password": password}, format="json")


def people(client):
    return {one["name"]: one for one in client.get(PEOPLE).json()["people"]}


def put_role(client, name, role, was, paddock="", **more):
    body = {"paddock": paddock, "role": role, "was": was, **more}
    return client.put(f"{PEOPLE}{name}/role/", body, format="json")


def browser_of(name, password="tide-gauge"):
    client = Client()
    answer = client.post("/api/v1/session/", {"username": name, "password": password}, "application/json")
    assert answer.status_code == 200, answer.json()
    return client


def test_an_invitation_makes_a_person_who_sets_a_password_and_is_in(administrator, shoreline):
    made = invite(administrator, paddock="shoreline")
    assert made.status_code == 201
    assert people(administrator)["boatswain"]["state"] == "invited"
    assert not Invitation.objects.filter(digest__contains=secret_of(made)[-20:]).exists()
    look = APIClient().post("/api/v1/links/open/", {"link": secret_of(made)}, format="json").json()
    assert (look["name"], look["kind"]) == ("boatswain", "invitation")
    client, answer = accept(f" {secret_of(made)[:30]} {secret_of(made)[30:]}\n")
    assert answer.json()["name"] == "boatswain"
    assert answer.json()["paddock_roles"] == [{"paddock": "shoreline", "role": "operator"}]
    assert client.get("/api/v1/me/").json()["sessions"][0]["method"] == "one-time link"
    assert people(administrator)["boatswain"]["state"] == "active"
    assert set(Entry.objects.filter(thing="boatswain").values_list("verb", flat=True)) == {
        "added", "invited", "used", "logged in",
    }  # fmt: skip


def test_an_invitation_is_good_once_and_in_time_and_a_weak_password_costs_no_use(administrator):
    link = secret_of(invite(administrator))
    assert accept(link, "short")[1].status_code == 400
    assert accept(link)[1].status_code == 200
    again = accept(link)[1]
    assert (again.status_code, "was used on" in again.json()["detail"]) == (409, True)
    late = secret_of(invite(administrator, "pilot"))
    Invitation.objects.filter(user__username="pilot").update(ends_at=timezone.now())
    assert "ended on" in accept(late)[1].json()["detail"]
    assert "unknown" in accept("paddock-link-x")[1].json()["detail"]


def test_a_new_link_ends_the_one_before_and_a_reset_ends_password_and_sessions(administrator):
    first = secret_of(invite(administrator))
    second = administrator.post(f"{PEOPLE}boatswain/reset/", {}, format="json").json()["link"].partition("#")[2]
    assert accept(first)[1].status_code == 409
    client, _ = accept(second)
    third = administrator.post(f"{PEOPLE}boatswain/reset/", {}, format="json")
    assert client.get("/api/v1/me/").status_code == 401
    assert not User.objects.get(username="boatswain").has_usable_password()
    assert accept(secret_of(third), GOOD + "!")[1].status_code == 200


@pytest.mark.parametrize(
    ("name", "status"),
    [
        ("harbourmaster", 409),
        ("HarbourMaster", 409),
        ("harb0urmaster", 409),
        ("h\u0430rbourmaster", 400),  # a Cyrillic a among Latin letters
        ("two words", 400),
        ("", 400),
        ("<script>", 400),
        ("x" * 61, 400),
    ],
)
def test_names_that_will_not_do(administrator, name, status):
    answer = invite(administrator, name)
    assert answer.status_code == status, answer.json()
    assert User.objects.count() == 1


def test_two_people_who_edit_one_role_do_not_undo_each_other(administrator, shoreline):
    a_person("mate", Role.VIEWER, shoreline)
    assert put_role(administrator, "mate", "operator", "viewer", "shoreline").status_code == 204
    late = put_role(administrator, "mate", None, "viewer", "shoreline")
    assert (late.status_code, "mate is now operator in shoreline" in late.json()["detail"]) == (409, True)
    assert Grant.objects.get(user__username="mate").role == "operator"


def test_a_role_for_a_time_ends_by_itself(administrator, shoreline):
    mate = a_person("mate", None)
    ends_at = (timezone.now() + timedelta(days=1)).isoformat()
    assert put_role(administrator, "mate", "operator", None, "shoreline", ends_at=ends_at).status_code == 204
    mate = APIClient()
    mate.force_authenticate(User.objects.get(username="mate"))
    assert mate.get("/api/v1/session/").status_code == 200
    assert [one["role"] for one in mate.get("/api/v1/me/").json()["roles"]] == ["operator"]
    Grant.objects.filter(user__username="mate").update(ends_at=timezone.now())
    assert mate.get("/api/v1/me/").json()["roles"] == []
    assert mate.get("/api/v1/jobs/").status_code == 403
    let_time_pass()
    assert not Grant.objects.filter(user__username="mate").exists()
    assert Entry.objects.filter(verb="ended", noun="role", thing="mate").exists()
    past = put_role(administrator, "mate", "viewer", None, ends_at=timezone.now().isoformat())
    assert past.status_code == 400


def test_an_administrator_of_a_paddock_sees_and_gives_only_what_is_there(administrator, shoreline, orchard):
    boss = a_person("boss", Role.ADMINISTRATOR, shoreline)
    a_person("mate", Role.VIEWER, shoreline)
    a_person("stranger", Role.VIEWER, orchard)
    put_role(administrator, "mate", "operator", None, "orchard")
    seen = people(boss)
    assert set(seen) == {"boss", "mate", "harbourmaster"}
    assert {held["paddock"] for held in seen["mate"]["roles"]} == {"shoreline"}
    assert not seen["mate"]["may_manage"]
    assert put_role(boss, "mate", "operator", "viewer", "shoreline").status_code == 204
    assert put_role(boss, "mate", "viewer", "operator", "orchard").status_code == 404
    assert put_role(boss, "mate", "viewer", None).status_code == 403
    assert put_role(boss, "stranger", "viewer", None, "shoreline").status_code == 404
    assert boss.get(f"{PEOPLE}mate/").json()["all_tokens"] == []
    assert a_person("nobodys", Role.OPERATOR).get(PEOPLE).status_code == 403


@pytest.mark.parametrize("verb", ["disable", "role", "delete", "own"])
def test_the_last_administrator_stays(administrator, verb):
    other = a_person("second", Role.ADMINISTRATOR)
    User.objects.filter(username="second").update(password="!")  # who cannot log in is no way back in
    if verb == "disable":
        answer = other.post(f"{PEOPLE}harbourmaster/disable/")
    elif verb == "role":
        answer = put_role(other, "harbourmaster", "operator", "administrator")
    elif verb == "delete":
        answer = other.delete(f"{PEOPLE}harbourmaster/")
    else:
        answer = administrator.post(f"{PEOPLE}harbourmaster/disable/")
    assert answer.status_code == 409, answer.json()
    assert User.objects.filter(username="harbourmaster", is_active=True, grants__role="administrator").exists()


def test_one_of_two_administrators_can_go(administrator):
    a_person("second", Role.ADMINISTRATOR)
    assert administrator.post(f"{PEOPLE}second/disable/").status_code == 200
    assert put_role(administrator, "harbourmaster", "viewer", "administrator").status_code == 409


def test_a_temporary_administrator_is_no_way_back_in(administrator):
    a_person("second", Role.ADMINISTRATOR)
    Grant.objects.filter(user__username="second").update(ends_at=timezone.now() + timedelta(days=1))
    with_end = {"ends_at": (timezone.now() + timedelta(days=1)).isoformat()}
    assert put_role(administrator, "harbourmaster", "administrator", "administrator", **with_end).status_code == 409


def test_who_is_disabled_is_out_everywhere_and_comes_back_as_before(administrator, viewer):
    browser = browser_of("lookout")
    _, token = make_token(SERVER, "lookout", "ci")
    program = APIClient(headers={"Authorization": f"Bearer {token}"})
    link = administrator.post(f"{PEOPLE}lookout/reset/", {}, format="json").json()["link"].partition("#")[2]
    assert program.get("/api/v1/hosts/").status_code == 200
    assert administrator.post(f"{PEOPLE}lookout/disable/").json()["state"] == "disabled"
    assert browser.get("/api/v1/hosts/").status_code == 401
    refused = program.get("/api/v1/hosts/")
    assert (refused.status_code, "is disabled" in refused.json()["detail"]) == (401, True)
    assert accept(link)[1].status_code == 409
    assert not Session.objects.filter(user__username="lookout").exists()
    assert administrator.post(f"{PEOPLE}lookout/disable/").status_code == 409
    assert administrator.post(f"{PEOPLE}lookout/enable/").status_code == 200
    assert program.get("/api/v1/hosts/").status_code == 200


def test_only_what_left_no_trace_can_be_deleted(administrator, shoreline):
    invite(administrator, "ferryman")
    assert administrator.delete(f"{PEOPLE}ferryman/").status_code == 204
    a_person("mate", Role.VIEWER, shoreline)
    Entry.objects.create(who="mate", verb="held", noun="host", thing="avocet-01", details={})
    answer = administrator.delete(f"{PEOPLE}mate/")
    assert (answer.status_code, "1 act" in answer.json()["detail"]) == (409, True)
    assert administrator.delete(f"{PEOPLE}harbourmaster/").status_code == 409


def test_nobody_logs_in_as_a_service_account(administrator, shoreline):
    body = {"name": "tide-ci", "role": "operator", "paddock": "shoreline", "team": "gauge firmware"}
    assert administrator.post("/api/v1/service-accounts/", body, format="json").json()["owner"] == "gauge firmware"
    user = User.objects.get(username="tide-ci")
    user.set_password(GOOD)
    user.save()
    answer = Client().post("/api/v1/session/", {"username": "tide-ci", "password": GOOD}, "application/json")
    assert answer.status_code == 401
    assert administrator.post(f"{PEOPLE}tide-ci/reset/", {}, format="json").status_code == 409


@pytest.mark.parametrize(
    "owner", [{}, {"owner": "harbourmaster", "team": "both"}, {"owner": "nobody-here"}, {"owner": "other-ci"}]
)
def test_a_service_account_has_one_owner_who_is_a_person(administrator, owner):
    first = {"name": "other-ci", "role": "viewer", "team": "x"}
    assert administrator.post("/api/v1/service-accounts/", first, format="json").status_code == 201
    answer = administrator.post(
        "/api/v1/service-accounts/", {"name": "new-ci", "role": "viewer", **owner}, format="json"
    )
    assert answer.status_code == 400
    assert not User.objects.filter(username="new-ci").exists()


def test_the_owner_makes_tokens_of_a_service_account_and_the_logbook_says_for_whom(administrator, new_host, shoreline):
    new_host("avocet-01", shoreline)
    owner, other = a_person("chartwright", Role.VIEWER), a_person("mate", Role.OPERATOR)
    body = {"name": "chart-bot", "role": "operator", "paddock": "shoreline", "owner": "chartwright"}
    administrator.post("/api/v1/service-accounts/", body, format="json")
    wanted = {"account": "chart-bot", "name": "nightly", "scope": "operate"}
    assert other.post("/api/v1/tokens/", wanted, format="json").status_code == 403
    made = owner.post("/api/v1/tokens/", wanted, format="json")
    assert made.status_code == 201
    program = APIClient(headers={"Authorization": f"Bearer {made.json()['token']}"})
    assert program.post("/api/v1/hosts/avocet-01/hold/").status_code == 200
    line = Entry.objects.filter(verb="held").get()
    assert (line.who, line.details["token"], line.details["for"]) == ("chart-bot", "nightly", "chartwright")
    assert [one["account"] for one in owner.get("/api/v1/tokens/").json()["results"]] == ["chart-bot"]
    assert other.get("/api/v1/tokens/").json()["results"] == []
    change = administrator.patch(f"{PEOPLE}chart-bot/", {"team": "charts"}, format="json")
    assert change.json()["owner"] == "charts"
    assert owner.post(f"/api/v1/tokens/{made.json()['id']}/revoke/").status_code == 404
    assert administrator.post(f"/api/v1/tokens/{made.json()['id']}/revoke/").status_code == 204
    assert program.get("/api/v1/hosts/").status_code == 401


def test_the_review_says_what_each_role_is_used_for_and_no_cell_is_a_formula(administrator, new_host, shoreline):
    new_host("avocet-01", shoreline)
    operator = a_person("+mate", Role.OPERATOR, shoreline)
    assert people(administrator)["+mate"]["roles"][0]["last_used_at"] is None
    operator.post("/api/v1/hosts/avocet-01/hold/")
    let_time_pass()
    used = people(administrator)["+mate"]["roles"][0]["last_used_at"]
    assert used
    rows = list(csv.DictReader(io.StringIO(administrator.get("/api/v1/people-review/").content.decode())))
    assert [row["account"] for row in rows] == ["'+mate", "harbourmaster"]
    assert (rows[0]["paddock"], rows[0]["role"], rows[1]["paddock"]) == ("shoreline", "operator", "all paddocks")
    assert rows[0]["role last used"][:16] == used[:16]


def test_a_refusal_says_what_would_be_enough_and_stands_in_the_logbook_once(viewer, new_host, shoreline):
    new_host("avocet-01", shoreline)
    for _ in range(3):
        answer = viewer.post("/api/v1/hosts/avocet-01/hold/")
    assert answer.json()["needs"] == {"role": "operator", "paddock": "shoreline"}
    line = Entry.objects.get(verb="refused")
    assert (line.thing, line.paddock, line.details["role"]) == ("lookout", "shoreline", "operator")


def test_access_is_granted_for_a_time_or_for_good(administrator, shoreline):
    mate = a_person("mate", Role.VIEWER, shoreline)
    asked = {"role": "operator", "paddock": "shoreline", "reason": "on call"}
    number = mate.post("/api/v1/access-requests/", asked, format="json").json()["id"]
    assert administrator.post(f"/api/v1/access-requests/{number}/grant/", {"days": 7}, format="json").status_code == 204
    held = Grant.objects.get(user__username="mate", role="operator")
    assert timedelta(days=6) < held.ends_at - timezone.now() < timedelta(days=8)
    Grant.objects.filter(pk=held.pk).update(ends_at=timezone.now())
    mate = APIClient()
    mate.force_authenticate(User.objects.get(username="mate"))
    assert mate.get("/api/v1/me/").json()["roles"][0]["role"] == "viewer", "what was there before counts again"
    number = mate.post("/api/v1/access-requests/", asked, format="json").json()["id"]
    administrator.post(f"/api/v1/access-requests/{number}/grant/", format="json")
    assert [(one.role, one.ends_at) for one in Grant.objects.filter(user__username="mate")] == [("operator", None)]


def test_rescue_brings_back_an_administrator_and_writes_it_down(administrator):
    disable(COMMAND_LINE, a_person("second", Role.ADMINISTRATOR) and User.objects.get(username="second"))
    link = rescue(COMMAND_LINE, "second")
    client, answer = accept(link)
    assert (answer.json()["name"], answer.json()["role"]) == ("second", "administrator")
    assert client.get(PEOPLE).status_code == 200
    fresh, _ = accept(rescue(COMMAND_LINE, "newcomer"))
    assert fresh.get(PEOPLE).status_code == 200
    assert Entry.objects.filter(verb="rescued", who="the command line").count() == 2


def test_tokens_of_people_are_made_by_themselves_alone(administrator, viewer):
    answer = administrator.post("/api/v1/tokens/", {"account": "lookout", "name": "x"}, format="json")
    assert (answer.status_code, "Only the person" in answer.json()["detail"]) == (409, True)
    made, token = make_token(SERVER, "lookout", "ci", Scope.ALL)
    program = APIClient(headers={"Authorization": f"Bearer {token}"})
    assert program.post("/api/v1/tokens/", {"name": "more"}, format="json").status_code == 409
    assert program.post("/api/v1/me/password/", {"old": "x", "password": "y"}, format="json").status_code == 409
    assert administrator.post(f"/api/v1/tokens/{made.pk}/revoke/").status_code == 204
