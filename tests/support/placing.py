"""Attempts that run, made as they come about: a job is sent, a round places it, and its host's agent begins it."""

from __future__ import annotations

from paddock_agent import wire
from paddock_server.work.actions.record_report import record_report
from paddock_server.work.models import Attempt
from paddock_server.work.round import run_round


def submit(client, **more):
    body = {"name": "compile", "pipeline": "almanac-docs", "terms": [], "script": "make", **more}
    return client.post("/api/v1/jobs/", body, format="json")


def placed(client, host, **more):
    """The attempt of a job that runs on ``host``."""
    answer = submit(client, **more)
    assert answer.status_code == 201, answer.json()
    run_round()
    attempt = Attempt.objects.get(job=answer.json()["id"])
    record_report(host, wire.AttemptStarted(attempt=attempt.wire_name, account="build", folder="/work/fresh/x"))
    return attempt


def end(host, attempt, code=0, **more):
    record_report(host, wire.AttemptEnded(attempt=attempt.wire_name, outcome="exited", exit_code=code, **more))
    attempt.refresh_from_db()
    return attempt


def url(attempt, rest=""):
    return f"/api/v1/jobs/{attempt.job_id}/attempts/{attempt.number}/{rest}"


def called(job, number=1):
    """What the attempt of a job is called between server and agent."""
    return Attempt.objects.get(job=job, number=number).wire_name
