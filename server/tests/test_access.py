"""Asking for a role, and deciding on it."""

import pytest
from people import a_person

from paddock_server.access.actions.request_access import MAX_OPEN
from paddock_server.logbook.models import Entry
from paddock_server.people.models import AccessRequest, Grant, Role

PATH = "/api/v1/access-requests/"


def ask(client, role="operator", paddock="shoreline", reason="on call"):
    return client.post(PATH, {"role": role, "paddock": paddock, "reason": reason}, format="json")


def test_a_request_goes_to_the_administrators_of_the_paddock_and_is_granted(shoreline, orchard, administrator):
    mate = a_person("mate", Role.VIEWER, shoreline)
    boss = a_person("boss", Role.ADMINISTRATOR, shoreline)
    other = a_person("other", Role.ADMINISTRATOR, orchard)
    made = ask(mate)
    assert (made.status_code, made.json()["may_decide"]) == (201, False)
    number = made.json()["id"]
    assert [one["may_decide"] for one in mate.get(PATH).json()["results"]] == [False]
    assert [one["person"] for one in boss.get(PATH).json()["results"]] == ["mate"]
    assert other.get(PATH).json()["results"] == []
    assert other.post(f"{PATH}{number}/grant/").status_code == 404
    assert mate.post(f"{PATH}{number}/grant/").status_code == 403, "people cannot grant themselves a role"
    assert boss.post(f"{PATH}{number}/grant/").status_code == 204
    assert Grant.objects.get(user__username="mate", paddock=shoreline).role == Role.OPERATOR
    assert boss.post(f"{PATH}{number}/grant/").status_code == 404, "it is decided"
    assert administrator.get(PATH).json()["results"] == []
    verbs = list(Entry.objects.filter(noun="access").order_by("id").values_list("verb", "who", "thing"))
    assert verbs == [("requested", "mate", "mate"), ("granted", "boss", "mate")]


def test_a_declined_request_changes_nothing_and_can_be_made_again(shoreline, administrator):
    mate = a_person("mate", Role.VIEWER, shoreline)
    number = ask(mate).json()["id"]
    assert administrator.post(f"{PATH}{number}/decline/").status_code == 204
    assert Grant.objects.get(user__username="mate").role == Role.VIEWER
    assert ask(mate, reason="still on call").json()["id"] != number


def test_asking_twice_is_one_request_with_the_last_reason(shoreline, administrator):
    mate = a_person("mate", Role.VIEWER, shoreline)
    first, second = ask(mate), ask(mate, reason=" the signing hosts ")
    assert first.json()["id"] == second.json()["id"]
    assert [one["reason"] for one in administrator.get(PATH).json()["results"]] == ["the signing hosts"]


def test_a_role_that_came_meanwhile_is_never_lowered(shoreline, administrator):
    mate = a_person("mate", Role.VIEWER, shoreline)
    number = ask(mate).json()["id"]
    Grant.objects.filter(user__username="mate").update(role=Role.ADMINISTRATOR)
    administrator.post(f"{PATH}{number}/grant/")
    assert Grant.objects.get(user__username="mate").role == Role.ADMINISTRATOR


@pytest.mark.parametrize(
    ("asked", "status"),
    [
        ({"reason": "   "}, 400),
        ({"reason": "x" * 301}, 400),
        ({"role": "viewer"}, 400),
        ({"role": "captain"}, 400),
        ({"paddock": "nowhere"}, 404),
        ({"paddock": "orchard"}, 404),
    ],
)
def test_what_cannot_be_asked_for_is_refused(shoreline, orchard, asked, status):
    mate = a_person("mate", Role.VIEWER, shoreline)
    assert ask(mate, **asked).status_code == status
    assert not AccessRequest.objects.exists()


def test_who_has_the_role_need_not_ask_and_requests_are_bounded(shoreline, operator):
    assert ask(operator).status_code == 409
    mate = a_person("mate", Role.VIEWER)
    for number in range(MAX_OPEN + 1):
        name = f"paddock-{number}"
        shoreline.__class__.objects.create(name=name)
        status = ask(mate, paddock=name).status_code
    assert status == 409
    assert AccessRequest.objects.count() == MAX_OPEN
