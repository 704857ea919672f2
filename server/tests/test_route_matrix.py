"""Who may read and who may do what: every route of the API, every role, in one's own paddock and in another.

The rows are checked against the schema: a route without a row fails, and so does a row without a route.
"""

from __future__ import annotations

import json
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import pytest
from django.db import transaction
from django.utils import timezone
from people import a_person
from rest_framework.test import APIClient
from route_rows import ADMINISTRATOR, JOB, MAY_BE_EMPTY, OPERATOR, READ, VIEWER, WRITE, Row, nothing
from two_paddocks import Side, make_side

from paddock_server.errors import NotNow
from paddock_server.logbook.models import Entry
from paddock_server.notifications.actions.save_rule import make_rule
from paddock_server.notifications.models import Delivery, NotificationRule
from paddock_server.people.actor import SERVER
from paddock_server.people.models import Role, SignOnProvider
from paddock_server.work.actions import save_source

SCHEMA = json.loads((Path(__file__).parents[2] / "web" / "openapi.json").read_text())
VERBS = ("get", "post", "put", "patch", "delete")
MINE, OTHERS = "shoremark", "orchmark"
RANK = {VIEWER: 0, OPERATOR: 1, ADMINISTRATOR: 2}


@dataclass
class Person:
    """Somebody who asks: a role for everything, or for the paddock ``shoreline`` alone; None for nobody."""

    name: str
    role: Role | None = None
    everywhere: bool = False
    client: APIClient = field(default_factory=APIClient)

    def has(self, row: Row) -> bool:
        enough = self.role is not None and RANK[self.role] >= RANK[row.least]
        return enough and (self.everywhere or not row.everywhere)


@pytest.fixture
def world(settings, tmp_path, monkeypatch):
    settings.SECRETS_KEY, settings.WHEELS = tmp_path / "secrets-key", tmp_path / "wheels"
    settings.WHEELS.mkdir()
    for package in ("yellow_paddock_agent-0.1.0", "pip-26.0"):
        (settings.WHEELS / f"{package}-py3-none-any.whl").write_bytes(b"x")

    def unreachable(*_: object) -> None:
        raise NotNow("no network in tests")

    monkeypatch.setattr(save_source, "read_file", unreachable)
    sides = {MINE: make_side(MINE, "shoreline"), OTHERS: make_side(OTHERS, "orchard")}
    make_rule(SERVER, "rule", "mail", target="office@saltmarsh.example")
    Delivery.objects.create(
        rule=NotificationRule.objects.get(), subject="x", body="x", state="given up", due_at=timezone.now()
    )
    provider = SignOnProvider.objects.create(name="Harbour ID", issuer="https://id.saltmarsh.example", client_id="x")
    for side in sides.values():
        side.ids["provider"] = provider.pk
    return sides


def people(sides: dict[str, Side]) -> list[Person]:
    from paddock_server.hosts.models import Paddock

    own = Paddock.objects.get(name="shoreline")
    found = [Person("anonymous"), Person("roleless", client=a_person("roleless", None))]
    for role in (VIEWER, OPERATOR, ADMINISTRATOR):
        found.append(Person(f"{role} of one", role, False, a_person(f"{role}-of-one", role, own)))
        found.append(Person(f"{role} of all", role, True, a_person(f"{role}-of-all", role)))
    return found


def ask(person: Person, method: str, path: str, row: Row, side: Side):
    for key, value in row.path(side).items():
        path = path.replace(f"{{{key}}}", str(value))
    if method == "get":
        return person.client.get(path, row.query(side))
    return person.client.generic(method.upper(), path, json.dumps(row.body(side)), content_type="application/json")


def text_of(answer) -> str:
    content = b"".join(_read(answer)) if answer.streaming else answer.content
    return content.decode("utf-8", "replace")


def _read(answer):
    from asgiref.sync import async_to_sync

    async def all_of():
        return [part async for part in answer.streaming_content]

    return async_to_sync(all_of)()


def routes(*methods: str) -> set[tuple[str, str]]:
    return {(method, path) for path, listed in SCHEMA["paths"].items() for method in listed if method in methods}


def test_every_route_has_a_row_and_every_row_a_route():
    assert {path for _, path in routes("get")} == set(READ)
    assert routes(*VERBS[1:]) == set(WRITE)


def test_what_may_be_read(world):
    wrong = []
    for person in people(world):
        for path, row in READ.items():
            for side in world.values():
                if side.mark == OTHERS and _is_a_list(path, row, world):
                    continue  # it was asked for already
                answer = ask(person, "get", path, row, side)
                said = text_of(answer)
                if why := _wrong_read(person, path, row, side, answer.status_code, said):
                    wrong.append(f"{person.name}: GET {path} of {side.paddock}: {answer.status_code}, {why}")
    assert wrong == [], "\n".join(wrong)


def test_no_question_of_a_list_tells_of_another_paddock(world):
    (person,) = (one for one in people(world) if one.name == "viewer of one")
    mine, others = world[MINE], world[OTHERS]
    told = []
    for path, row in READ.items():
        asked = [one["name"] for one in SCHEMA["paths"][path]["get"].get("parameters", []) if one["in"] == "query"]
        for name in asked:
            for value in (others.host, others.paddock, others.ids["pipeline"], str(others.ids["job"])):
                answer = ask(person, "get", path, replace(row, query=lambda _, n=name, v=value: {n: v}), mine)
                assert answer.status_code < 500
                if OTHERS in text_of(answer).replace(value, "").lower():
                    told.append(f"{path}?{name}={value}")
    assert told == []


def _is_a_list(path: str, row: Row, sides: dict[str, Side]) -> bool:
    """Whether it is the same question for both sides."""
    mine, others = sides[MINE], sides[OTHERS]
    return row.path(mine) == row.path(others) and row.query(mine).keys() == row.query(others).keys() - {"host", "first"}


def _wrong_read(person: Person, path: str, row: Row, side: Side, status: int, said: str) -> str:
    """What is wrong with an answer, "" where nothing is."""
    sees_all = person.everywhere
    if status >= 500:
        return f"a fault: {said[:200]}"
    beyond = _beyond_the_question(said, row, side)
    if OTHERS in beyond and not sees_all:
        return f"it tells of the other paddock: {beyond[max(0, beyond.find(OTHERS) - 80) :][:200]}"
    if person.role is None and MINE in beyond:
        return "it tells somebody without a role"
    if row.special:
        return ""
    if person.name == "anonymous":
        return "" if status == 401 else "nobody is let in"
    if not person.has(row):
        is_empty = path in MAY_BE_EMPTY or "{" not in path
        return "" if status in (403, 404) or (status == 200 and is_empty) else "it should be refused"
    names_other = side.mark == OTHERS and ("{" in path or "host" in row.query(side) or "first" in row.query(side))
    if names_other and not sees_all:
        return "" if status in (400, 404) else "the other paddock's should be as if it were not there"
    if status not in (200, 400):
        return f"it should be shown: {said[:200]}"
    if row.shows and side.mark not in said.lower():
        return f"it should show {side.mark}: {said[:200]}"
    return ""


def test_what_may_be_done(world):
    wrong = []
    for person in people(world):
        for (method, path), row in WRITE.items():
            for side in world.values():
                before = _acts()
                with transaction.atomic():
                    answer = ask(person, method, path, row, side)
                    written = _acts() - before
                    said = text_of(answer)
                    transaction.set_rollback(True)
                why = _wrong_write(person, row, side, answer.status_code, written, said)
                if why:
                    wrong.append(
                        f"{person.name}: {method.upper()} {path} in {side.paddock}: {answer.status_code} "
                        f"{written} {why}: {said[:150]}"
                    )
    assert wrong == [], "\n".join(wrong)


def _acts() -> int:
    """Lines of the logbook but those on refusals."""
    return Entry.objects.exclude(verb="refused").count()


def _wrong_write(person: Person, row: Row, side: Side, status: int, written: int, said: str) -> str:
    if status >= 500:
        return "a fault"
    is_others = side.mark == OTHERS and not person.everywhere
    if is_others and OTHERS in _beyond_the_question(said, row, side):
        return "it tells of the other paddock"
    if row.special:
        return ""
    if person.name == "anonymous":
        return "" if (status, written) == (401, 0) else "nobody is let in"
    may = person.has(row) and not (is_others and (row.path is not nothing or row.body is not nothing))
    if may:
        missing = status == 404 and row.shows
        return "it should be allowed" if status in (401, 403) or missing else ""
    if written:
        return "something was written"
    return "" if status in (400, 403, 404) else "it should be refused"


def _beyond_the_question(said: str, row: Row, side: Side) -> str:
    """What an answer says that was not in the question: an error may repeat what it was asked."""
    for given in (row.path(side), row.query(side), row.body(side)):
        for word in sorted(_words(given), key=len, reverse=True):
            said = said.replace(word, "")
    return said.lower()


def _words(given: Any) -> list[str]:
    if isinstance(given, dict):
        return [word for value in given.values() for word in _words(value)]
    if isinstance(given, list):
        return [word for value in given for word in _words(value)]
    return [word for word in (given, *given.split()) if len(word) > 3] if isinstance(given, str) else []


@pytest.mark.parametrize("person", ["viewer of one", "administrator of one"])
def test_what_one_sent_oneself_one_sees_wherever_it_ran(world, person):
    from paddock_server.work.models import Job

    one = next(other for other in people(world) if other.name == person)
    theirs = world[OTHERS].ids["job"]
    assert one.client.get(f"/api/v1/jobs/{theirs}/").status_code == 404
    Job.objects.filter(pk=theirs).update(submitted_by=person.replace(" ", "-"))
    assert one.client.get(f"/api/v1/jobs/{theirs}/").status_code == 200
    assert OTHERS in text_of(one.client.get(f"/api/v1/jobs/{theirs}/log/"))


def test_an_attempt_elsewhere_of_a_job_that_also_ran_here_is_not_shown(world):
    from paddock_server.hosts.models import Host
    from paddock_server.work.models import Attempt

    mine, theirs = world[MINE], world[OTHERS]
    away = Host.objects.get(name=theirs.host)
    Attempt.objects.create(
        job_id=mine.ids["job"], number=2, host=away, state="failed", offered_at=timezone.now(), note=OTHERS
    )
    viewer = next(one for one in people(world) if one.name == "viewer of one").client
    job = viewer.get(f"/api/v1/jobs/{mine.ids['job']}/").json()
    assert [one["number"] for one in job["attempts"]] == [1]
    assert viewer.get(f"/api/v1/jobs/{mine.ids['job']}/attempts/2/").status_code == 404
    assert viewer.get(f"/api/v1/jobs/{mine.ids['job']}/log/?attempt=2").status_code == 404


def test_a_job_may_not_come_after_one_that_its_sender_does_not_see(world):
    operator = next(one for one in people(world) if one.name == "operator of one").client
    answer = operator.post(
        "/api/v1/jobs/", {**JOB, "pipeline": "shoremark-x", "after": [world[OTHERS].ids["job"]]}, format="json"
    )
    assert (answer.status_code, f"No job {world[OTHERS].ids['job']} exists" in answer.json()["detail"]) == (400, True)
