"""Who may read and who may do what: every route of the API, every role, in one's own paddock and in another.

The rows are checked against the schema: a route without a row fails, and so does a row without a route.
"""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest
from django.db import transaction
from django.utils import timezone
from people import somebody
from rest_framework.test import APIClient
from two_paddocks import Side, make_side

from paddock_server.errors import NotNow
from paddock_server.logbook.models import Entry
from paddock_server.people.actor import SERVER
from paddock_server.people.models import Role
from paddock_server.telling.actions.keep_telling import make_telling
from paddock_server.telling.models import Delivery, Telling
from paddock_server.work.actions import keep_source

SCHEMA = json.loads((Path(__file__).parents[2] / "web" / "openapi.json").read_text())
VERBS = ("get", "post", "put", "patch", "delete")
VIEWER, OPERATOR, ADMINISTRATOR = Role.VIEWER, Role.OPERATOR, Role.ADMINISTRATOR
RANK = {VIEWER: 0, OPERATOR: 1, ADMINISTRATOR: 2}
MINE, OTHERS = "shoremark", "orchmark"
Values = Callable[[Side], dict[str, Any]]


def nothing(side: Side) -> dict[str, Any]:
    return {}


def host(side: Side) -> dict[str, Any]:
    return {"name": side.host}


def gate(side: Side) -> dict[str, Any]:
    return {"name": side.gate}


def numbered(what: str, key: str = "id") -> Values:
    return lambda side: {key: side.ids[what]}


def attempt(side: Side) -> dict[str, Any]:
    return {"id": side.ids["job"], "number": 1, "file": 0}


@dataclass(frozen=True)
class Row:
    """A route: the ``least`` role for it, ``everywhere`` where one for a single paddock does not do; what stands in its
    path and its query, and what is sent. ``shows``: its answer has the mark of what it is about. ``special`` routes
    answer everybody, whoever they are."""

    least: Role = VIEWER
    path: Values = nothing
    query: Values = nothing
    body: Values = nothing
    everywhere: bool = False
    shows: bool = True
    special: bool = False


READ = {
    "/api/v1/board/": Row(),
    "/api/v1/bring-up-choices/": Row(shows=False, special=True),
    "/api/v1/bring-ups/": Row(query=lambda side: {"all": "true"}),
    "/api/v1/bring-ups/{id}/": Row(path=numbered("sheet")),
    "/api/v1/care/": Row(),
    "/api/v1/care-feed/": Row(shows=False, special=True),
    "/api/v1/care-times/": Row(),
    "/api/v1/catalogue/": Row(shows=False, special=True),
    "/api/v1/catalogue/{name}/": Row(path=lambda side: {"name": "git"}, shows=False, special=True),
    "/api/v1/chore-runs/": Row(),
    "/api/v1/chore-runs/{id}/": Row(path=numbered("run")),
    "/api/v1/chores/": Row(),
    "/api/v1/chores/{id}/": Row(path=numbered("chore")),
    "/api/v1/compare-runs/": Row(
        query=lambda side: {"first": f"{side.ids['job']}-1", "second": f"{side.ids['job']}-1"}
    ),
    "/api/v1/findings/": Row(),
    "/api/v1/findings/{id}/": Row(path=numbered("finding")),
    "/api/v1/guessing/": Row(shows=False, special=True),
    "/api/v1/hosts/": Row(),
    "/api/v1/hosts/{name}/": Row(path=host),
    "/api/v1/hosts/{name}/folders/": Row(path=host),
    "/api/v1/hosts/{name}/history/": Row(path=host, query=lambda side: {"at": timezone.now().isoformat()}),
    "/api/v1/hosts/{name}/readings/": Row(path=host, shows=False),
    "/api/v1/hosts/{name}/week/": Row(path=host),
    "/api/v1/hosts/{name}/work/": Row(path=host, shows=False),
    "/api/v1/jobs/": Row(),
    "/api/v1/jobs/{id}/": Row(path=numbered("job")),
    "/api/v1/jobs/{id}/attempts/{number}/": Row(path=attempt),
    "/api/v1/jobs/{id}/attempts/{number}/find/": Row(path=attempt, query=lambda side: {"text": "p"}, shows=False),
    "/api/v1/jobs/{id}/attempts/{number}/lines/": Row(path=attempt),
    "/api/v1/jobs/{id}/attempts/{number}/outputs/{file}/": Row(path=attempt),
    "/api/v1/jobs/{id}/attempts/{number}/proof/": Row(path=attempt),
    "/api/v1/jobs/{id}/fit/": Row(path=numbered("waiting"), query=lambda side: {"all": "true"}),
    "/api/v1/jobs/{id}/log/": Row(path=numbered("job")),
    "/api/v1/kits/": Row(),
    "/api/v1/kits-proposed/": Row(query=lambda side: {"host": side.host}, shows=False),
    "/api/v1/kits/{name}/": Row(path=numbered("kit", "name")),
    "/api/v1/kits/{name}/standings/": Row(path=numbered("kit", "name")),
    "/api/v1/logbook/": Row(),
    "/api/v1/paddocks/": Row(),
    "/api/v1/passes/": Row(ADMINISTRATOR),
    "/api/v1/pipelines/": Row(),
    "/api/v1/pipelines/{name}/": Row(path=numbered("pipeline", "name")),
    "/api/v1/secrets/": Row(ADMINISTRATOR),
    "/api/v1/session/": Row(shows=False, special=True),
    "/api/v1/sources/": Row(),
    "/api/v1/submissions/{id}/": Row(path=numbered("submission")),
    "/api/v1/telling/": Row(OPERATOR, everywhere=True, shows=False),
    "/api/v1/toolchains/": Row(),
    "/api/v1/toolchains/compare/": Row(query=lambda side: {"host": [side.host, side.gate]}, shows=False),
    "/api/v1/toolchains/inventory/": Row(),
    "/api/v1/tools/{name}/": Row(path=lambda side: {"name": "git"}),
    "/api/v1/watch/": Row(),
    "/api/v1/words/": Row(),
    "/api/v1/yard/": Row(),
}
"""What may be read. Routes without anything in their path are lists of what one may see."""
MAY_BE_EMPTY = {"/api/v1/passes/", "/api/v1/yard/", "/api/v1/hosts/", "/api/v1/paddocks/", "/api/v1/care-times/"}
"""Lists that answer people without the role with nothing instead of a refusal."""

JOB = {"name": "n", "terms": [], "script": "true"}
LATER = {
    "starts_at": (timezone.now() + timedelta(days=3)).isoformat(),
    "ends_at": (timezone.now() + timedelta(days=3, hours=1)).isoformat(),
}
CALENDAR = (
    "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//x//EN\r\nBEGIN:VEVENT\r\nUID:a@x\r\nSUMMARY:x\r\n"
    "DTSTART:20400101T000000Z\r\nDURATION:PT2H\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"
)
CHORE = {"name": "x", "script": "true"}
SHEET = {"system": "linux", "arch": "x64", "server": "http://testserver"}
RULE = {"name": "rule x", "kind": "mail", "target": "x@saltmarsh.example"}
SSH = {"address": "127.0.0.1", "port": 1}


def paddock(**more: Any) -> Values:
    return lambda side: {"paddock": side.paddock, **more}


WRITE = {
    ("post", "/api/v1/bring-ups/"): Row(ADMINISTRATOR, body=paddock(**SHEET)),
    ("post", "/api/v1/bring-ups/{id}/give-up/"): Row(ADMINISTRATOR, numbered("sheet")),
    ("post", "/api/v1/bring-ups/{id}/prove/"): Row(ADMINISTRATOR, numbered("sheet")),
    ("post", "/api/v1/bring-ups/{id}/renew/"): Row(ADMINISTRATOR, numbered("sheet")),
    ("post", "/api/v1/bring-ups/{id}/ssh/forget/"): Row(ADMINISTRATOR, numbered("sheet"), body=lambda side: SSH),
    ("post", "/api/v1/bring-ups/{id}/ssh/go-in/"): Row(
        ADMINISTRATOR, numbered("sheet"), body=lambda side: {**SSH, "user": "x", "key": "x", "password": "x"}
    ),
    ("post", "/api/v1/bring-ups/{id}/ssh/look/"): Row(ADMINISTRATOR, numbered("sheet"), body=lambda side: SSH),
    ("post", "/api/v1/bring-ups/planned/"): Row(
        ADMINISTRATOR, body=paddock(text="name,system\nx-1,linux\n", server="http://testserver")
    ),
    ("post", "/api/v1/care/"): Row(OPERATOR, body=lambda side: {"what": "x", "place": side.paddock, **LATER}),
    ("post", "/api/v1/care-calendar/"): Row(OPERATOR, body=lambda side: {"text": CALENDAR, "place": side.paddock}),
    ("post", "/api/v1/care-feed/"): Row(),
    ("delete", "/api/v1/care-feed/"): Row(special=True),
    ("delete", "/api/v1/care/{id}/"): Row(OPERATOR, numbered("care")),
    ("post", "/api/v1/catalogue/{name}/"): Row(
        ADMINISTRATOR, lambda side: {"name": "x"}, body=lambda side: {"text": "x"}, everywhere=True
    ),
    ("post", "/api/v1/catalogue/{name}/{number}/release/"): Row(
        ADMINISTRATOR, lambda side: {"name": "git", "number": 1}, everywhere=True, shows=False
    ),
    ("post", "/api/v1/catalogue/{name}/{number}/try/"): Row(
        ADMINISTRATOR,
        lambda side: {"name": "git", "number": 1},
        body=lambda side: {"hosts": [side.host]},
        everywhere=True,
        shows=False,
    ),
    ("post", "/api/v1/chore-runs/{id}/approve/"): Row(ADMINISTRATOR, numbered("run"), body=lambda side: {"yes": True}),
    ("post", "/api/v1/chore-runs/{id}/stop/"): Row(ADMINISTRATOR, numbered("run")),
    ("post", "/api/v1/chores/"): Row(ADMINISTRATOR, body=lambda side: CHORE, everywhere=True),
    ("put", "/api/v1/chores/{id}/"): Row(ADMINISTRATOR, numbered("chore"), body=lambda side: CHORE, everywhere=True),
    ("post", "/api/v1/chores/{id}/start/"): Row(
        ADMINISTRATOR, numbered("chore"), body=lambda side: {"hosts": [side.host]}
    ),
    ("post", "/api/v1/chosen-hosts/"): Row(body=lambda side: {"hosts": [side.host]}, special=True),
    ("post", "/api/v1/deliveries/{id}/send-again/"): Row(
        ADMINISTRATOR, lambda side: {"id": Delivery.objects.get().pk}, everywhere=True
    ),
    ("post", "/api/v1/findings/{id}/acknowledge/"): Row(OPERATOR, numbered("finding")),
    ("post", "/api/v1/findings/{id}/act/"): Row(OPERATOR, numbered("finding")),
    ("post", "/api/v1/findings/{id}/bring-back/"): Row(OPERATOR, numbered("finding")),
    ("post", "/api/v1/findings/{id}/snooze/"): Row(
        OPERATOR, numbered("finding"), body=lambda side: {"until": LATER["starts_at"]}
    ),
    ("post", "/api/v1/fit/"): Row(body=lambda side: {"terms": [f"host {side.host}"]}, special=True),
    ("post", "/api/v1/gate/{verb}/"): Row(
        ADMINISTRATOR, lambda side: {"verb": "admit"}, body=lambda side: {"names": [side.gate]}, special=True
    ),
    ("post", "/api/v1/guessing/"): Row(ADMINISTRATOR, body=lambda side: {"address": "10.0.0.1"}, everywhere=True),
    ("patch", "/api/v1/hosts/{name}/"): Row(ADMINISTRATOR, host, body=lambda side: {"slots": 7}),
    ("post", "/api/v1/hosts/{name}/admit/"): Row(ADMINISTRATOR, gate),
    ("post", "/api/v1/hosts/{name}/turn-away/"): Row(ADMINISTRATOR, gate),
    ("post", "/api/v1/hosts/{name}/drain/"): Row(OPERATOR, host),
    ("post", "/api/v1/hosts/{name}/folders/"): Row(OPERATOR, host),
    ("post", "/api/v1/hosts/{name}/history/accept/"): Row(
        OPERATOR, host, body=lambda side: {"changes": [1]}, shows=False
    ),
    ("post", "/api/v1/hosts/{name}/hold/"): Row(OPERATOR, host),
    ("post", "/api/v1/hosts/{name}/restart/"): Row(OPERATOR, host),
    ("post", "/api/v1/hosts/{name}/resume/"): Row(OPERATOR, host),
    ("post", "/api/v1/hosts/{name}/retire/"): Row(ADMINISTRATOR, host),
    ("post", "/api/v1/hosts/{name}/service/"): Row(
        OPERATOR, host, body=lambda side: {"name": f"{side.mark}-service", "verb": "start"}
    ),
    ("post", "/api/v1/hosts/{name}/survey/"): Row(OPERATOR, host),
    ("post", "/api/v1/jobs/"): Row(OPERATOR, body=lambda side: {**JOB, "pipeline": side.ids["pipeline"]}, special=True),
    ("patch", "/api/v1/jobs/{id}/"): Row(
        OPERATOR, numbered("waiting"), body=lambda side: {"priority": 5}, everywhere=True
    ),
    ("post", "/api/v1/jobs/{id}/attempts/{number}/give-up/"): Row(OPERATOR, attempt),
    ("post", "/api/v1/jobs/{id}/cancel/"): Row(OPERATOR, numbered("waiting"), everywhere=True),
    ("post", "/api/v1/jobs/{id}/let-in/"): Row(
        OPERATOR, numbered("waiting"), body=lambda side: {"paddock": side.paddock, "for_good": False}, shows=False
    ),
    ("post", "/api/v1/jobs/{id}/run-again/"): Row(OPERATOR, numbered("job")),
    ("post", "/api/v1/kits/"): Row(
        ADMINISTRATOR,
        body=lambda side: {"name": "kit-x", "terms": ["os linux"], "paddocks": [side.paddock]},
    ),
    ("post", "/api/v1/kits-tried/"): Row(
        body=lambda side: {"kit": side.ids["kit"], "terms": ["os linux"], "paddocks": [side.paddock]}
    ),
    ("put", "/api/v1/kits/{name}/"): Row(
        ADMINISTRATOR,
        numbered("kit", "name"),
        body=lambda side: {"name": side.ids["kit"], "terms": ["os linux"], "paddocks": [side.paddock]},
    ),
    ("delete", "/api/v1/kits/{name}/"): Row(ADMINISTRATOR, numbered("kit", "name")),
    ("post", "/api/v1/lint/"): Row(body=lambda side: {"text": "pipeline: x\njobs: {}\n"}, special=True),
    ("post", "/api/v1/paddocks/"): Row(ADMINISTRATOR, body=lambda side: {"name": "annex"}, everywhere=True),
    ("patch", "/api/v1/paddocks/{name}/"): Row(
        ADMINISTRATOR, lambda side: {"name": side.paddock}, body=lambda side: {"grace": 60}
    ),
    ("post", "/api/v1/paddocks/{name}/{verb}/"): Row(OPERATOR, lambda side: {"name": side.paddock, "verb": "hold"}),
    ("post", "/api/v1/passes/"): Row(ADMINISTRATOR, body=paddock(name="x")),
    ("post", "/api/v1/passes/{id}/replace/"): Row(ADMINISTRATOR, numbered("pass")),
    ("post", "/api/v1/passes/{id}/revoke/"): Row(ADMINISTRATOR, numbered("pass")),
    ("post", "/api/v1/remedies/"): Row(OPERATOR, body=lambda side: {"kind": "survey", "place": side.host}),
    ("post", "/api/v1/secrets/"): Row(
        ADMINISTRATOR,
        body=lambda side: {
            "name": "NEW_KEY",
            "value": "long enough",
            "pipelines": ["x"],
            "paddocks": [side.paddock],
        },
    ),
    ("delete", "/api/v1/secrets/{name}/"): Row(ADMINISTRATOR, numbered("secret", "name")),
    ("post", "/api/v1/session/"): Row(body=lambda side: {"username": "x", "password": "y"}, special=True),
    ("delete", "/api/v1/session/"): Row(special=True),
    ("post", "/api/v1/sources/"): Row(
        ADMINISTRATOR, body=lambda side: {"url": "https://git.example/x.git", "ref": "main"}, everywhere=True
    ),
    ("delete", "/api/v1/sources/{id}/"): Row(ADMINISTRATOR, numbered("source"), everywhere=True),
    ("post", "/api/v1/sources/{id}/secret/"): Row(ADMINISTRATOR, numbered("source"), everywhere=True),
    ("post", "/api/v1/sources/{id}/submit/"): Row(OPERATOR, numbered("source")),
    ("post", "/api/v1/submissions/"): Row(
        OPERATOR,
        body=lambda side: {"text": f"pipeline: {side.mark}-x\njobs:\n  a:\n    script: 'true'\n"},
        special=True,
    ),
    ("post", "/api/v1/telling/"): Row(ADMINISTRATOR, body=lambda side: RULE, everywhere=True),
    ("patch", "/api/v1/telling/{id}/"): Row(
        ADMINISTRATOR,
        lambda side: {"id": Telling.objects.get().pk},
        body=lambda side: {"is_on": False},
        everywhere=True,
    ),
    ("delete", "/api/v1/telling/{id}/"): Row(
        ADMINISTRATOR, lambda side: {"id": Telling.objects.get().pk}, everywhere=True
    ),
    ("post", "/api/v1/telling/{id}/try-out/"): Row(
        ADMINISTRATOR, lambda side: {"id": Telling.objects.get().pk}, everywhere=True
    ),
    ("post", "/api/v1/toolchains/within/"): Row(
        body=lambda side: {"tool": "git", "range": "2+", "versions": ["2.1"]}, special=True
    ),
}


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

    monkeypatch.setattr(keep_source, "read_file", unreachable)
    sides = {MINE: make_side(MINE, "shoreline"), OTHERS: make_side(OTHERS, "orchard")}
    make_telling(SERVER, "rule", "mail", target="office@saltmarsh.example")
    Delivery.objects.create(
        telling=Telling.objects.get(), subject="x", body="x", state="given up", due_at=timezone.now()
    )
    return sides


def people(sides: dict[str, Side]) -> list[Person]:
    from paddock_server.hosts.models import Paddock

    own = Paddock.objects.get(name="shoreline")
    found = [Person("anonymous"), Person("roleless", client=somebody("roleless", None))]
    for role in (VIEWER, OPERATOR, ADMINISTRATOR):
        found.append(Person(f"{role} of one", role, False, somebody(f"{role}-of-one", role, own)))
        found.append(Person(f"{role} of all", role, True, somebody(f"{role}-of-all", role)))
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
                before = Entry.objects.count()
                with transaction.atomic():
                    answer = ask(person, method, path, row, side)
                    written = Entry.objects.count() - before
                    said = text_of(answer)
                    transaction.set_rollback(True)
                why = _wrong_write(person, row, side, answer.status_code, written, said)
                if why:
                    wrong.append(
                        f"{person.name}: {method.upper()} {path} in {side.paddock}: {answer.status_code} "
                        f"{written} {why}: {said[:150]}"
                    )
    assert wrong == [], "\n".join(wrong)


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
    assert (answer.status_code, "There is no job" in answer.json()["detail"]) == (400, True)
