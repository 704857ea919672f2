"""What a whole job costs the database in a running server, from its sending to its end, the logbook included."""

from __future__ import annotations

import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext
from people import a_person
from running_writer import running_writer

from paddock_agent import wire
from paddock_server.link.agents import _record
from paddock_server.people.models import Role
from paddock_server.work.models import Attempt, Job

pytestmark = pytest.mark.django_db(transaction=True)
MAX_STATEMENTS, MAX_COMMITS = 15, 3


@pytest.fixture
def operator():
    return a_person("deckhand", Role.OPERATOR)


@pytest.fixture
def host(new_host):
    return new_host()


@pytest.fixture
def writer(host, operator, monkeypatch):
    """A writer as in a running server, and the statements that it has run."""
    with running_writer(monkeypatch) as started:
        started.statements = []

        def note(execute, sql, *rest):
            started.statements.append(sql)
            return execute(sql, *rest)

        started.hand_in(lambda: connection.execute_wrappers.append(note)).result()
        yield started


def send(client):
    body = {"name": "compile", "pipeline": "almanac-docs", "terms": ["os linux"], "script": "make"}
    return client.post("/api/v1/jobs/", body, format="json").json()["id"]


def run(writer, host, job):
    attempt = Attempt.objects.get(job=job).wire_name
    for report in (
        wire.AttemptStarted(attempt=attempt, account="build", folder="/work/1"),
        wire.AttemptEnded(attempt=attempt, outcome="exited", exit_code=0),
    ):
        writer.hand_in(lambda report=report: _record(host.pk, report)).result(10)


def test_a_job_that_runs_alone_costs_few_statements_and_commits(writer, operator, host):
    run(writer, host, send(operator))  # what is read once and kept is read by this one
    commits = writer.commits
    writer.statements.clear()
    with CaptureQueriesContext(connection) as asked:
        job = send(operator)
    run(writer, host, job)
    assert Job.objects.get(pk=job).state == "passed"
    statements = [*(one["sql"] for one in asked.captured_queries), *writer.statements]
    statements = [one for one in statements if one != "BEGIN IMMEDIATE"]  # counted as commits
    assert len(statements) <= MAX_STATEMENTS, "\n".join(statements)
    assert writer.commits - commits <= MAX_COMMITS
