"""Secrets of pipelines: sealed, never shown, and given only to allowed jobs."""

import json

import pytest
from django.db import connection
from people import a_person
from placing import end, placed, submit, url

from paddock_agent import wire
from paddock_server.logbook.models import Entry
from paddock_server.people.models import Role
from paddock_server.pipeline_secrets.models import PipelineSecret
from paddock_server.work.effects import _offer
from paddock_server.work.models import Attempt, Job
from paddock_server.work.round import run_round

VALUE = "eelgrass-42-saltmarsh"


def keep(client, name="TABLE_KEY", **more):
    body = {"name": name, "value": VALUE, "pipelines": ["tide-*"], "paddocks": ["*"], **more}
    return client.post("/api/v1/secrets/", body, format="json")


@pytest.fixture
def key_file(settings, tmp_path):
    settings.SECRETS_KEY = tmp_path / "secrets-key"
    return settings.SECRETS_KEY


def test_a_secret_is_sealed_and_never_told_again(administrator, operator, new_host, key_file):
    assert keep(administrator).status_code == 200
    assert key_file.stat().st_mode & 0o077 == 0
    with connection.cursor() as cursor:
        cursor.execute("SELECT * FROM pipeline_secrets_pipelinesecret")
        assert VALUE.encode() not in repr(cursor.fetchall()).encode()
    shown = json.dumps(administrator.get("/api/v1/secrets/").json()["results"]) + repr(list(Entry.objects.values()))
    assert "TABLE_KEY" in shown
    assert VALUE not in shown
    assert operator.get("/api/v1/secrets/").status_code == 403
    host = new_host()
    attempt = placed(operator, host, pipeline="tide-tables", secrets=["TABLE_KEY"])
    assert VALUE not in json.dumps(operator.get(url(attempt)).json())
    assert VALUE not in repr(list(Job.objects.values())) + repr(list(Attempt.objects.values()))
    offer = _offer(attempt.job, attempt, {"TABLE_KEY": VALUE})
    assert offer.secrets == [wire.GivenSecret("TABLE_KEY", VALUE)]
    assert PipelineSecret.objects.get().given_to == attempt.name


def test_it_is_given_only_to_its_pipelines_in_its_paddocks(
    administrator, operator, new_host, shoreline, orchard, key_file
):
    keep(administrator, paddocks=["orchard"])
    keep(administrator, "SOURCES", sources_only=True)
    inside, outside = new_host(paddock=orchard), new_host(paddock=shoreline)
    for pipeline, name in (("buoy-telemetry", "TABLE_KEY"), ("tide-tables", "ABSENT"), ("tide-tables", "SOURCES")):
        answer = submit(operator, pipeline=pipeline, secrets=[name])
        assert answer.status_code == 400, answer.json()
    attempt = placed(operator, inside, pipeline="tide-tables", secrets=["TABLE_KEY"])
    assert attempt.host == inside
    end(inside, attempt)
    waiting = submit(operator, pipeline="tide-tables", secrets=["TABLE_KEY"], terms=[f"host {outside.name}"]).json()
    run_round()
    assert Job.objects.get(pk=waiting["id"]).state == "waiting"
    deckhand = a_person("bosun", Role.OPERATOR, shoreline)
    assert "does not reach" in submit(deckhand, pipeline="tide-tables", secrets=["TABLE_KEY"]).json()["detail"]


def test_one_that_was_taken_away_meanwhile_ends_the_attempt_with_the_reason(
    administrator, operator, new_host, key_file
):
    keep(administrator)
    new_host()
    number = submit(operator, pipeline="tide-tables", secrets=["TABLE_KEY"]).json()["id"]
    assert administrator.delete("/api/v1/secrets/TABLE_KEY/").status_code == 204
    run_round()
    job = Job.objects.get(pk=number)
    assert job.state == "failed"
    assert "is not given" in job.attempts.get().note


def test_a_value_in_another_secrets_row_and_another_key_open_nothing(administrator, operator, new_host, key_file):
    keep(administrator)
    keep(administrator, "OTHER", value="another-value-1")
    one, other = PipelineSecret.objects.order_by("name")
    one.sealed, other.sealed = other.sealed, one.sealed
    one.save()
    new_host()
    number = submit(operator, pipeline="tide-tables", secrets=["OTHER"]).json()["id"]
    run_round()
    assert "cannot be opened" in Attempt.objects.get(job=number).note


@pytest.mark.parametrize(
    "wrong",
    [
        {"name": "lower"}, {"name": "PADDOCK_X"}, {"value": "short"}, {"pipelines": []}, {"paddocks": []},
        {"paddocks": ["nowhere"]}, {"pipelines": ["<b>"]}, {"value": "with\0zero"},
    ],
)  # fmt: skip
def test_what_can_be_no_secret_is_refused(administrator, wrong, key_file):
    answer = keep(administrator, **{"name": "TABLE_KEY", **wrong})
    assert answer.status_code == 400
    assert not PipelineSecret.objects.exists()


def test_an_administrator_of_one_paddock_keeps_secrets_for_that_alone(shoreline, orchard, key_file, administrator):
    mate = a_person("mate", Role.ADMINISTRATOR, shoreline)
    assert keep(mate).status_code == 403
    assert keep(mate, paddocks=["shoreline", "orchard"]).status_code == 403
    assert keep(mate, paddocks=["shoreline"]).status_code == 200
    keep(administrator, "OTHER", paddocks=["orchard"])
    assert [one["name"] for one in mate.get("/api/v1/secrets/").json()["results"]] == ["TABLE_KEY"]
    assert mate.delete("/api/v1/secrets/OTHER/").status_code == 403
