"""Recurrence rules: bounded work, clear refusals, and one broken rule does not stop the others."""

from __future__ import annotations

from datetime import timedelta

import pytest
from django.utils import timezone

from paddock_server.hosts.models import Host
from paddock_server.maintenance import loop
from paddock_server.maintenance.loop import look
from paddock_server.maintenance.models import MaintenanceWindow


def soon(minutes):
    return timezone.now() + timedelta(minutes=minutes)


def plan(client, rule, **more):
    body = {"what": "disks", "place": "shoreline", "starts_at": soon(-1).isoformat(), "ends_at": soon(60).isoformat()}
    return client.post("/api/v1/maintenance-windows/", {**body, "rule": rule, **more}, format="json")


HOSTILE = [
    "FREQ=DAILY;INTERVAL=-1",
    "FREQ=DAILY;INTERVAL=0",
    "FREQ=DAILY;INTERVAL=99999999999",
    "FREQ=YEARLY;BYEASTER=9999",
    "FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30",
    "FREQ=MONTHLY;BYMONTHDAY=32",
    "FREQ=MONTHLY;BYMONTHDAY=0",
    "FREQ=YEARLY;BYMONTH=13",
    "FREQ=YEARLY;BYYEARDAY=400",
    "FREQ=YEARLY;BYWEEKNO=1",
    "FREQ=DAILY;COUNT=0",
    "FREQ=DAILY;COUNT=99999999",
    "FREQ=DAILY;UNTIL=20269999",
    "FREQ=DAILY;UNTIL=19990101",
    "FREQ=WEEKLY;BYDAY=XX",
    "FREQ=MONTHLY;BYDAY=99MO",
    "FREQ=MONTHLY;BYDAY=" + ",".join(["MO"] * 100),
    "FREQ=DAILY;FREQ=WEEKLY",
    "FREQ=DAILY;DTSTART=20200101",
    "INTERVAL=2",
    "RDATE:20260101",
    "FREQ=DAILY;;COUNT=1",
    "FREQ",
    "=",
    "FREQ=HOURLY",
    "FREQ=DAILY;BYHOUR=3",
    "FREQ=DAILY\nFREQ=DAILY",
    "FREQ=DAILY;COUNT=" + "1" * 600,
    "FREQ=DAILY;BYSETPOS=5",
    "FREQ=DAILY;BYMONTH=2;BYMONTHDAY=30",
    "FREQ=WEEKLY;BYDAY=MO;BYSETPOS=2",
    "FREQ=WEEKLY;BYDAY=2MO",
    "FREQ=MONTHLY;BYDAY=0SU",
    "FREQ=MONTHLY;BYDAY=6SU",
    "FREQ=YEARLY;BYDAY=-53SU;BYMONTH=2",
    "FREQ=YEARLY;BYDAY=54SU",
]


@pytest.mark.parametrize("rule", HOSTILE)
def test_a_rule_that_is_not_understood_or_has_no_time_is_refused(operator, shoreline, rule):
    answer = plan(operator, rule)
    assert answer.status_code == 400, answer.json()
    assert not MaintenanceWindow.objects.exists()


@pytest.mark.parametrize("year", [1, 1999, 2100, 9999])
def test_a_year_that_nobody_means_is_refused(operator, shoreline, year):
    day = f"{year:04}-05-01T0{{}}:00:00Z"
    answer = plan(operator, "FREQ=DAILY", starts_at=day.format(1), ends_at=day.format(2))
    assert answer.status_code == 400


def test_a_plan_that_fails_keeps_no_other_from_being_held_and_no_hold_from_ending(operator, new_host, monkeypatch):
    host, ended = new_host(), new_host(holding="held")
    Host.objects.filter(pk=ended.pk).update(hold_until=soon(-1))
    for rule in ("FREQ=DAILY", ""):
        assert plan(operator, rule, place=host.name).status_code == 201
    broken = MaintenanceWindow.objects.exclude(rule="").get()
    real = loop.times_between

    def times_between(window, *stretch):
        if window.pk == broken.pk:
            raise OverflowError("date value out of range")
        return real(window, *stretch)

    monkeypatch.setattr(loop, "times_between", times_between)
    look()
    assert Host.objects.get(pk=host.pk).holding != ""
    assert Host.objects.get(pk=ended.pk).holding == ""


def test_a_rule_from_before_that_is_not_understood_now_holds_nobody_and_is_looked_at_once(operator, new_host):
    host = new_host()
    plan(operator, "FREQ=DAILY", place=host.name)
    MaintenanceWindow.objects.update(rule="FREQ=DAILY;INTERVAL=-1", ahead_until=None)
    look()
    window = MaintenanceWindow.objects.get()
    assert (window.ahead, window.ahead_until > soon(0)) == ([], True)
    assert Host.objects.get(pk=host.pk).holding == ""


def test_times_are_computed_anew_before_they_run_out(operator, new_host):
    new_host()
    plan(operator, "FREQ=WEEKLY")
    MaintenanceWindow.objects.update(ahead=[], ahead_until=soon(60 * 24 * 300))
    look()
    assert len(MaintenanceWindow.objects.get().ahead) > 100
