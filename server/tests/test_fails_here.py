"""A host on which jobs fail that pass elsewhere is found from what the database knows, and a retired one is
forgotten."""

from __future__ import annotations

import time

import pytest
from django.utils import timezone

from paddock_server.health.actions.save_findings import save_findings
from paddock_server.health.models import Finding
from paddock_server.health.observed_fleet import SeenFleet
from paddock_server.health.reevaluation import dirty_hosts
from paddock_server.work.models import Attempt, Job


@pytest.fixture
def seen():
    dirty_hosts().everything = dirty_hosts().jobs_ended = True
    return SeenFleet()


def ran(host, name, passed, failed):
    now = timezone.now()
    for i in range(passed + failed):
        state = "passed" if i < passed else "failed"
        job = Job.objects.create(
            name=name, pipeline="buoy-telemetry", state=state, script="", submitted_at=now, submitted_by="x"
        )
        Attempt.objects.create(job=job, number=1, host=host, state=state, offered_at=now, started_at=now, ended_at=now)


def open_codes(seen):
    save_findings(seen.look(time.time()))
    return {(one.code, one.hosts[0]) for one in Finding.objects.filter(closed_at=None, code="fails-here")}


def test_the_host_on_which_jobs_fail_is_found_and_let_go_once_they_pass(new_host, administrator, seen):
    hosts = [new_host(f"knot-{i:02}") for i in range(1, 6)]
    for host in hosts[1:]:
        ran(host, "soak", 19, 1)
    ran(hosts[0], "soak", 6, 14)
    ran(hosts[0], "lint", 0, 30)
    assert open_codes(seen) == {("fails-here", "knot-01")}
    finding = Finding.objects.get(code="fails-here")
    assert "14 of 20 attempts failed here" in finding.sentence
    assert "4 of 80" in finding.sentence
    assert administrator.post(f"/api/v1/findings/{finding.pk}/act/").status_code == 202
    hosts[0].refresh_from_db()
    assert (hosts[0].holding, hosts[0].hold_reason) == ("held", "Jobs fail here that pass elsewhere")
    ran(hosts[0], "soak", 400, 0)
    dirty_hosts().jobs_ended, seen._contrasts_due = True, 0.0
    assert open_codes(seen) == set()


def test_a_retired_host_has_no_findings_and_stops_nobody_from_looking(
    new_host, administrator, seen, django_capture_on_commit_callbacks
):
    gone, stays = new_host("knot-01"), new_host("knot-02")
    save_findings(seen.look(time.time()))
    with django_capture_on_commit_callbacks(execute=True):
        assert administrator.post("/api/v1/hosts/knot-01/retire/", {"reason": "sold"}, format="json").status_code == 204
    ran(stays, "soak", 20, 0)
    dirty_hosts().jobs_ended, seen._contrasts_due = True, 0.0
    save_findings(seen.look(time.time()))
    assert not any(gone.name in one.hosts for one in Finding.objects.filter(closed_at=None))
