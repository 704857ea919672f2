"""No call of the API, however strange, is a fault of the server's, or is answered as the schema does not say.

PADDOCK_FUZZ_CALLS says how many calls are made, and PADDOCK_FUZZ_SEED which: `make fuzz` makes a hundred thousand.
"""

from __future__ import annotations

import os
import random
import sys

import pytest
from django.core.cache import cache
from django.core.management import call_command
from fuzzing import Fuzzer
from people import a_person
from two_paddocks import make_side

from paddock_server.bring_up.actions import connect_over_ssh
from paddock_server.errors import NotNow
from paddock_server.hosts.models import Paddock
from paddock_server.people.models import Role
from paddock_server.process.state import State, begin
from paddock_server.work.actions import save_source

CALLS = int(os.environ.get("PADDOCK_FUZZ_CALLS", "500"))
SEED = int(os.environ.get("PADDOCK_FUZZ_SEED", "14"))


def make_world():
    call_command("flush", interactive=False, verbosity=0)
    cache.clear()
    begin(State())
    sides = [make_side("shoremark", "shoreline"), make_side("orchmark", "orchard")]
    own = Paddock.objects.get(name="shoreline")
    people = {"roleless": a_person("roleless", None)}
    for role in (Role.VIEWER, Role.OPERATOR, Role.ADMINISTRATOR):
        people[f"{role} of one"] = a_person(f"{role}-of-one", role, own)
        people[f"{role} of all"] = a_person(f"{role}-of-all", role)
    # Most calls by who may do most: behind a refusal nothing is tried.
    people |= {f"administrator {n}": people["administrator of all"] for n in range(6)}
    for client in people.values():
        client.raise_request_exception = False
    there = {
        "jobs id": ["job", "waiting"], "bring-ups id": ["sheet"], "maintenance-windows id": ["window"],
        "chores id": ["chore"], "chore-runs id": ["run"], "findings id": ["finding"], "kits name": ["kit"],
        "passes id": ["pass"], "pipelines name": ["pipeline"], "secrets name": ["secret"], "sources id": ["source"],
        "submissions id": ["submission"],
    }  # fmt: skip
    seen = {kind: [side.ids[key] for side in sides for key in keys] for kind, keys in there.items()}
    seen |= {
        "hosts name": [name for side in sides for name in (side.host, side.gate)],
        "paddocks name": [side.paddock for side in sides],
        "jobs/*/attempts number": [1],
        "jobs/*/attempts/*/outputs file": [0],
        "catalogue name": ["git", "jdk"],
        "catalogue/* number": [1],
        "tools name": ["git"],
        "notification-rules id": [1],
        "deliveries id": [1],
        "gate verb": ["admit", "turn-away"],
        "paddocks/* verb": ["hold", "drain", "resume"],
    }
    return people, seen


@pytest.mark.django_db(transaction=True)
def test_strange_calls_are_answered_and_as_the_schema_says(settings, tmp_path, monkeypatch, caplog):
    settings.SECRETS_KEY, settings.WHEELS, settings.DATA = tmp_path / "key", tmp_path / "wheels", tmp_path
    settings.WHEELS.mkdir()
    for package in ("yellow_paddock_agent-0.1.0", "pip-26.0"):
        (settings.WHEELS / f"{package}-py3-none-any.whl").write_bytes(b"x")

    def unreachable(*_, **__):
        raise NotNow("Nothing is reached from a test.")

    monkeypatch.setattr(save_source, "read_file", unreachable)
    for name in ("find_key", "run_script"):
        monkeypatch.setattr(connect_over_ssh.ssh, name, unreachable)
    caplog.set_level("CRITICAL", "django.request")
    fuzzer = Fuzzer(make_world, random.Random(SEED))
    fuzzer.run(CALLS)
    sys.stderr.write(f"{fuzzer.calls} calls: {dict(sorted(fuzzer.statuses.items()))}\n")
    assert fuzzer.calls >= CALLS
    # Were nearly all refused, nothing would have been tried.
    assert sum(number for status, number in fuzzer.statuses.items() if status < 300) > CALLS / 10
    assert not fuzzer.faults, "\n\n".join(fuzzer.faults.values())
