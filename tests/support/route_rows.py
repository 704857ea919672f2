"""What each route of the API is asked in the tests of permissions, and who may ask it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from django.utils import timezone
from two_paddocks import Side

from paddock_server.notifications.models import Delivery, NotificationRule
from paddock_server.people.models import Role

VIEWER, OPERATOR, ADMINISTRATOR = Role.VIEWER, Role.OPERATOR, Role.ADMINISTRATOR
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


PERSON = "/api/v1/people/{name}/"
PROVIDER = "/api/v1/sign-on-providers/{id}/"


def the_person(side: Side) -> dict[str, Any]:
    return {"name": side.ids["person"]}


def the_program(side: Side) -> dict[str, Any]:
    return {"name": side.ids["program"]}


def a_rehearsal(side: Side) -> dict[str, Any]:
    """As people send it."""
    return {"name": "as it was", "since": "2026-10-01T00:00:00Z", "until": "2026-10-08T00:00:00Z"}


READ = {
    "/api/v1/people/": Row(ADMINISTRATOR),
    "/api/v1/people-review/": Row(ADMINISTRATOR),
    PERSON: Row(ADMINISTRATOR, path=the_person),
    "/api/v1/me/": Row(shows=False, special=True),
    "/api/v1/server/": Row(ADMINISTRATOR, everywhere=True, shows=False),
    "/api/v1/server/retention/": Row(ADMINISTRATOR, everywhere=True, shows=False),
    "/api/v1/tokens/": Row(shows=False, special=True),
    "/api/v1/sign-on/": Row(shows=False, special=True),
    "/api/v1/sign-on-providers/": Row(ADMINISTRATOR, everywhere=True, shows=False),
    "/api/v1/session/second-factor/": Row(shows=False, special=True),
    "/api/v1/access-requests/": Row(ADMINISTRATOR, shows=False, special=True),
    "/api/v1/board/": Row(),
    "/api/v1/bring-up-choices/": Row(shows=False, special=True),
    "/api/v1/bring-ups/": Row(query=lambda side: {"all": "true"}),
    "/api/v1/bring-ups/{id}/": Row(path=numbered("sheet")),
    "/api/v1/maintenance-windows/": Row(),
    "/api/v1/maintenance-feed/": Row(shows=False, special=True),
    "/api/v1/maintenance-times/": Row(),
    "/api/v1/catalogue/": Row(shows=False, special=True),
    "/api/v1/catalogue/{name}/": Row(path=lambda side: {"name": "git"}, shows=False, special=True),
    "/api/v1/chore-runs/": Row(),
    "/api/v1/chore-runs/{id}/": Row(path=numbered("run")),
    "/api/v1/chores/": Row(),
    "/api/v1/rollouts/": Row(),
    "/api/v1/rollouts/{id}/": Row(path=numbered("rollout")),
    "/api/v1/versions/": Row(shows=False),
    "/api/v1/plan/use/": Row(shows=False),
    "/api/v1/plan/use.csv": Row(shows=False),
    "/api/v1/plan/kinds/": Row(shows=False),
    "/api/v1/plan/outlook/": Row(everywhere=True, shows=False),
    "/api/v1/plan/costs/": Row(everywhere=True, shows=False),
    "/api/v1/rehearsals/": Row(everywhere=True, shows=False),
    "/api/v1/rehearsals/{id}/": Row(everywhere=True, path=numbered("rehearsal"), shows=False),
    "/api/v1/hosts/{name}/use/": Row(path=host),
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
    "/api/v1/hosts/{name}/examination/": Row(path=host, shows=False),
    "/api/v1/hosts/{name}/week/": Row(path=host),
    "/api/v1/hosts/{name}/power/": Row(path=host),
    "/api/v1/standby/": Row(),
    "/api/v1/standby-policies/": Row(),
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
    "/api/v1/notification-rules/": Row(OPERATOR, everywhere=True, shows=False),
    "/api/v1/toolchains/": Row(),
    "/api/v1/toolchains/compare/": Row(query=lambda side: {"host": [side.host, side.gate]}, shows=False),
    "/api/v1/toolchains/inventory/": Row(),
    "/api/v1/tools/{name}/": Row(path=lambda side: {"name": "git"}),
    "/api/v1/watch/": Row(),
    "/api/v1/words/": Row(),
    "/api/v1/yard/": Row(),
}
"""What may be read. Routes without anything in their path are lists of what one may see."""
MAY_BE_EMPTY = {"/api/v1/passes/", "/api/v1/yard/", "/api/v1/hosts/", "/api/v1/paddocks/", "/api/v1/maintenance-times/"}
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


SIGN_ON = {"name": "Other ID", "issuer": "https://other.saltmarsh.example", "client_id": "x"}
NO_ROLES = {"roles": [], "version": 1}
LINK = {"link": "paddock-link-unknown", "password": "a long enough secret"}

WRITE = {
    ("post", "/api/v1/people/"): Row(
        ADMINISTRATOR, body=lambda side: {"name": f"{side.mark}-new", "role": "viewer"}, everywhere=True
    ),
    ("patch", PERSON): Row(ADMINISTRATOR, the_program, body=lambda side: {"team": side.mark}, everywhere=True),
    ("delete", PERSON): Row(ADMINISTRATOR, the_person, everywhere=True),
    ("put", PERSON + "role/"): Row(ADMINISTRATOR, the_person, body=paddock(role="operator", was="viewer")),
    ("post", PERSON + "disable/"): Row(ADMINISTRATOR, the_person, everywhere=True),
    ("post", PERSON + "enable/"): Row(ADMINISTRATOR, the_person, everywhere=True),
    ("post", PERSON + "reset/"): Row(ADMINISTRATOR, the_person, everywhere=True),
    ("post", "/api/v1/service-accounts/"): Row(
        ADMINISTRATOR,
        body=lambda side: {"name": f"{side.mark}-bot", "role": "viewer", "team": side.mark},
        everywhere=True,
    ),
    ("post", "/api/v1/tokens/"): Row(body=lambda side: {"name": "x"}, special=True),
    ("post", "/api/v1/tokens/{id}/revoke/"): Row(ADMINISTRATOR, numbered("token"), everywhere=True),
    ("post", "/api/v1/server/backup/"): Row(ADMINISTRATOR, everywhere=True),
    ("put", "/api/v1/server/retention/"): Row(ADMINISTRATOR, body=lambda side: {"rules": []}, everywhere=True),
    ("post", "/api/v1/server/retention/preview/"): Row(ADMINISTRATOR, body=lambda side: {"rules": []}, everywhere=True),
    ("patch", "/api/v1/me/"): Row(body=lambda side: {"clock_hours": "24"}, special=True),
    ("post", "/api/v1/me/password/"): Row(body=lambda side: {"old": "x", "password": "y"}, special=True),
    ("delete", "/api/v1/me/sessions/"): Row(special=True),
    ("delete", "/api/v1/me/sessions/{key}/"): Row(path=lambda side: {"key": "x"}, special=True),
    ("post", "/api/v1/me/passkeys/"): Row(body=lambda side: {"name": "x", "credential": {}}, special=True),
    ("post", "/api/v1/me/passkeys/options/"): Row(special=True),
    ("delete", "/api/v1/me/passkeys/{id}/"): Row(path=lambda side: {"id": 1}, special=True),
    ("post", "/api/v1/me/recovery-codes/"): Row(special=True),
    ("post", "/api/v1/links/open/"): Row(body=lambda side: LINK, special=True),
    ("post", "/api/v1/links/accept/"): Row(body=lambda side: LINK, special=True),
    ("post", "/api/v1/session/second-factor/"): Row(body=lambda side: {"recovery_code": "x"}, special=True),
    ("post", "/api/v1/sign-on-providers/"): Row(ADMINISTRATOR, body=lambda side: SIGN_ON, everywhere=True),
    ("put", PROVIDER): Row(ADMINISTRATOR, numbered("provider"), body=lambda side: SIGN_ON, everywhere=True),
    ("delete", PROVIDER): Row(ADMINISTRATOR, numbered("provider"), everywhere=True),
    ("post", PROVIDER + "check/"): Row(ADMINISTRATOR, numbered("provider"), everywhere=True),
    ("put", PROVIDER + "mapping/"): Row(
        ADMINISTRATOR, numbered("provider"), body=lambda side: NO_ROLES, everywhere=True
    ),
    ("post", PROVIDER + "mapping/preview/"): Row(
        ADMINISTRATOR, numbered("provider"), body=lambda side: {"roles": []}, everywhere=True
    ),
    ("post", "/api/v1/access-requests/"): Row(body=paddock(role="operator", reason="x"), special=True),
    ("post", "/api/v1/access-requests/{id}/grant/"): Row(ADMINISTRATOR, numbered("access")),
    ("post", "/api/v1/access-requests/{id}/decline/"): Row(ADMINISTRATOR, numbered("access")),
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
    ("post", "/api/v1/maintenance-windows/"): Row(
        OPERATOR, body=lambda side: {"what": "x", "place": side.paddock, **LATER}
    ),
    ("post", "/api/v1/maintenance-calendar/"): Row(
        OPERATOR, body=lambda side: {"text": CALENDAR, "place": side.paddock}
    ),
    ("post", "/api/v1/maintenance-feed/"): Row(),
    ("delete", "/api/v1/maintenance-feed/"): Row(special=True),
    ("delete", "/api/v1/maintenance-windows/{id}/"): Row(OPERATOR, numbered("window")),
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
    ("post", "/api/v1/plan/costs/"): Row(
        ADMINISTRATOR, everywhere=True, body=lambda side: {"host": side.host, "price": 1}
    ),
    ("delete", "/api/v1/plan/costs/{id}/"): Row(ADMINISTRATOR, numbered("cost"), everywhere=True),
    ("put", "/api/v1/plan/settings/"): Row(ADMINISTRATOR, everywhere=True, body=lambda side: {"target": 600}),
    ("post", "/api/v1/rehearsals/"): Row(OPERATOR, everywhere=True, body=a_rehearsal),
    ("post", "/api/v1/rehearsals/{id}/cancel/"): Row(OPERATOR, numbered("rehearsal"), everywhere=True),
    ("delete", "/api/v1/rehearsals/{id}/"): Row(OPERATOR, numbered("rehearsal"), everywhere=True),
    ("post", "/api/v1/rollout-plans/"): Row(VIEWER, body=lambda side: {"hosts": [side.host]}),
    ("post", "/api/v1/rollouts/"): Row(ADMINISTRATOR, body=lambda side: {"hosts": [side.host]}),
    ("post", "/api/v1/rollouts/{id}/approve/"): Row(
        ADMINISTRATOR, numbered("rollout"), body=lambda side: {"yes": True}
    ),
    ("post", "/api/v1/rollouts/{id}/go-back/"): Row(ADMINISTRATOR, numbered("rollout")),
    ("post", "/api/v1/rollouts/{id}/pause/"): Row(ADMINISTRATOR, numbered("rollout")),
    ("post", "/api/v1/rollouts/{id}/resume/"): Row(ADMINISTRATOR, numbered("rollout")),
    ("post", "/api/v1/rollouts/{id}/stop/"): Row(ADMINISTRATOR, numbered("rollout")),
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
    ("post", "/api/v1/findings/{id}/reopen/"): Row(OPERATOR, numbered("finding")),
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
    ("put", "/api/v1/hosts/{name}/power/"): Row(ADMINISTRATOR, host, body=lambda side: {"may_power_down": True}),
    ("post", "/api/v1/hosts/{name}/wake/"): Row(OPERATOR, host),
    ("post", "/api/v1/hosts/{name}/power-down/"): Row(OPERATOR, host),
    ("post", "/api/v1/hosts/{name}/count-again/"): Row(OPERATOR, host),
    ("post", "/api/v1/hosts/{name}/switch-off/"): Row(OPERATOR, host),
    ("post", "/api/v1/standby/wake/"): Row(OPERATOR, body=lambda side: {"hosts": [side.host]}),
    ("post", "/api/v1/standby-policies/"): Row(
        ADMINISTRATOR, body=lambda side: {"place": side.paddock, "mode": "by hand"}
    ),
    ("delete", "/api/v1/standby-policies/{id}/"): Row(ADMINISTRATOR, numbered("standby_policy")),
    ("post", "/api/v1/hosts/{name}/restart/"): Row(OPERATOR, host),
    ("post", "/api/v1/hosts/{name}/resume/"): Row(OPERATOR, host),
    ("post", "/api/v1/hosts/{name}/retire/"): Row(ADMINISTRATOR, host),
    ("post", "/api/v1/hosts/{name}/undo-retirement/"): Row(ADMINISTRATOR, host),
    ("post", "/api/v1/hosts/{name}/service/"): Row(
        OPERATOR, host, body=lambda side: {"name": f"{side.mark}-service", "verb": "start"}
    ),
    ("post", "/api/v1/hosts/{name}/survey/"): Row(OPERATOR, host),
    ("post", "/api/v1/hosts/{name}/examination/"): Row(OPERATOR, host),
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
    ("post", "/api/v1/notification-rules/"): Row(ADMINISTRATOR, body=lambda side: RULE, everywhere=True),
    ("patch", "/api/v1/notification-rules/{id}/"): Row(
        ADMINISTRATOR,
        lambda side: {"id": NotificationRule.objects.get().pk},
        body=lambda side: {"is_on": False},
        everywhere=True,
    ),
    ("delete", "/api/v1/notification-rules/{id}/"): Row(
        ADMINISTRATOR, lambda side: {"id": NotificationRule.objects.get().pk}, everywhere=True
    ),
    ("post", "/api/v1/notification-rules/{id}/try-out/"): Row(
        ADMINISTRATOR, lambda side: {"id": NotificationRule.objects.get().pk}, everywhere=True
    ),
    ("post", "/api/v1/toolchains/within/"): Row(
        body=lambda side: {"tool": "git", "range": "2+", "versions": ["2.1"]}, special=True
    ),
}
