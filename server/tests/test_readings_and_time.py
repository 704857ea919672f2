"""Readings in the database, availability, a host's week, and taking over a past."""

from __future__ import annotations

import json
import math
import time
from datetime import UTC, datetime, timedelta

import pytest
from django.utils import timezone
from people import FACTS

from paddock_agent import wire
from paddock_core.link_state import LinkEvent
from paddock_core.vitals import HOUR, NAMES, WIDTH
from paddock_server.errors import Invalid, NotAllowed
from paddock_server.health.actions.load_history import load_history
from paddock_server.health.actions.note_link import note_link
from paddock_server.health.actions.save_readings import hosts_due, save_readings, thin
from paddock_server.health.models import FreshReadings, Health, HourOfReadings, LinkChange
from paddock_server.health.queries import readings
from paddock_server.people.actor import COMMAND_LINE, Actor
from paddock_server.process.rate_limit import Pace
from paddock_server.toolchains.actions.record_survey import record_survey

GB = 1024.0**3
NOW = time.time() // HOUR * HOUR + 1800


def row(**read):
    return tuple(read.get(name, math.nan) for name in NAMES)


@pytest.fixture
def host(new_host):
    return new_host("knot-01")


def read_for(host, start, seconds, every=15, **read):
    return {host.pk: [(start + i, row(**read)) for i in range(0, seconds, every)]}


def test_a_minute_is_a_row_and_what_is_gone_writes_none(host):
    read = {**read_for(host, NOW - 120, 120, load=1.0), 999_999: [(NOW, row(load=1.0))]}
    assert save_readings(read) == 2
    shown = readings(host, "load", NOW - 300, NOW)
    assert len(shown) == 8
    assert shown[0] == (pytest.approx(NOW - 120, abs=0.1), 1, 1, 1)
    assert save_readings({}) == 0


def test_readings_are_thinned_with_time(host):
    save_readings(read_for(host, NOW - 3 * HOUR - 1800, 2 * HOUR, load=2.0))
    save_readings(read_for(host, NOW - 600, 600, load=4.0))
    thin([host.pk], NOW)
    assert HourOfReadings.objects.filter(host=host).count() == 2
    assert FreshReadings.objects.filter(host=host).count() == 10, "this hour stays in full"
    shown = readings(host, "load", NOW - 6 * HOUR, NOW)
    assert len(shown) == 120 + 40
    assert {one[2] for one in shown} == {2.0, 4.0}
    thin([host.pk], NOW + 49 * HOUR)
    assert not HourOfReadings.objects.filter(minutes__isnull=False, at__lt=datetime.fromtimestamp(NOW, UTC)).exists()
    thin([host.pk], NOW + 400 * 24 * HOUR)
    assert not HourOfReadings.objects.exists()


def test_thinning_again_changes_nothing(host):
    save_readings(read_for(host, NOW - 2 * HOUR, HOUR, load=2.0))
    thin([host.pk], NOW)
    before = list(HourOfReadings.objects.values_list("at", "summary"))
    thin([host.pk], NOW)
    assert list(HourOfReadings.objects.values_list("at", "summary")) == before


def test_every_host_has_its_minute(host):
    due = [minute for minute in range(60) if host.pk in hosts_due(minute * 60.0)]
    assert len(due) == 1


def past(host, **more):
    hours = [NOW - i * HOUR for i in range(24 * 10, 0, -1)]
    falls = [{"at": at, "disk_free": 30 * GB + (NOW - at) / 86_400 * 4 * GB} for at in hours]
    history = {"link": [[hours[0], "connected", "then"], [NOW - 9 * HOUR, "lost", ""], [NOW - 8 * HOUR, "connected",
    ""]],
            "readings": falls, **more}  # fmt: skip
    return json.dumps({"hosts": {host.name: history}}).encode()


def test_a_past_is_taken_over_and_shown(host, administrator):
    counts = load_history(COMMAND_LINE, past(host))
    assert counts == "Took over 3 changes of links and 240 hours of readings of 1 hosts."
    (shown,) = administrator.get("/api/v1/watch/").json()["hosts"]
    assert shown["availability"]["day"]["share"] == pytest.approx(23 / 24, abs=0.01)
    assert shown["availability"]["week"]["losses"] == 1
    assert shown["availability"]["week"]["to_repair"] == pytest.approx(3600)
    (forecast,) = administrator.get("/api/v1/watch/").json()["forecasts"]
    assert forecast["full_in"] / 86_400 == pytest.approx(7.5, abs=0.3)
    assert forecast["full_soonest"] <= forecast["full_in"] <= forecast["full_latest"]
    assert len(forecast["read"]) == 240
    assert Health.objects.get(host=host).disk_trend["slope"] < 0
    changes = list(LinkChange.objects.order_by("id").values_list("at", flat=True))
    assert changes == sorted(changes), "what is older stands in front"
    again = load_history(COMMAND_LINE, past(host))
    assert again.startswith("Took over 0 changes")


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (b"", "not a history"),
        (b'{"hosts": 5}', "not a history"),
        (b'{"hosts": {"ghost-01": {}}}', "No host is called ghost-01"),
        (b'{"hosts": {"knot-01": {"link": [[1e9, "asleep", ""]]}}}', '"asleep" is not a link state'),
        (b'{"hosts": {"knot-01": {"link": [[9e99, "lost", ""]]}}}', "not a time in the past"),
        (b'{"hosts": {"knot-01": {"readings": [{"load": 1}]}}}', "has no time"),
    ],
)
def test_a_past_that_cannot_be_read_leaves_everything_as_it_was(host, data, says):
    before = LinkChange.objects.count()
    with pytest.raises(Invalid, match=says):
        load_history(COMMAND_LINE, data)
    assert LinkChange.objects.count() == before
    with pytest.raises(NotAllowed):
        load_history(Actor("a_person", None), data)


def test_planned_holds_do_not_count(host, operator, administrator):
    LinkChange.objects.all().delete()
    start = timezone.now() - timedelta(hours=4)
    for hours, state in ((0, "connected"), (2, "lost")):
        LinkChange.objects.create(host=host, at=start + timedelta(hours=hours), state=state, cause="")
    (shown,) = administrator.get("/api/v1/watch/").json()["hosts"]
    assert shown["availability"]["day"]["share"] == pytest.approx(0.5, abs=0.01)
    operator.post("/api/v1/hosts/knot-01/hold/", {"reason": "new disk"}, format="json")
    host.hold_changes.update(at=start + timedelta(hours=2))
    (shown,) = administrator.get("/api/v1/watch/").json()["hosts"]
    assert (shown["availability"]["day"]["share"], shown["availability"]["day"]["losses"]) == (1.0, 0)
    operator.post("/api/v1/hosts/knot-01/resume/")
    week = administrator.get("/api/v1/hosts/knot-01/week/").json()
    assert len(week["holds"]) == 1


def test_a_week_has_everything_on_one_axis(host, administrator):
    note_link(host, LinkEvent.SOCKET_CLOSED)
    newer = wire.FoundInstallation("git", "2.47.1", "/usr/bin/git", "/usr", True)
    record_survey(host, wire.SurveyReport(facts=FACTS, installations=[newer]))
    week = administrator.get("/api/v1/hosts/knot-01/week/?days=2").json()
    assert week["end"] - week["start"] == 2 * 86_400
    assert [one["state"] for one in week["link"]] == ["connected", "lost"]
    assert week["tools"][0]["what"] == "git"
    for spans in (week["link"], week["jobs"], week["findings"]):
        assert all(week["start"] <= one["start"] <= one["end"] <= week["end"] + 1 for one in spans)


@pytest.mark.parametrize(
    ("query", "says"),
    [("week/?days=0", "from 1 to 31"), ("week/?days=x", "from 1 to 31"), ("readings/?reading=mood", "Unknown reading"),
     ("readings/?hours=nan", "hours is a number")],
)  # fmt: skip
def test_wrong_questions_are_said(host, administrator, query, says):
    answer = administrator.get(f"/api/v1/hosts/knot-01/{query}")
    assert (answer.status_code, says in answer.json()["detail"]) == (400, True)


def test_the_pace_of_heartbeats():
    usual = Pace(15)
    assert [usual.wait(15.0 * i) for i in range(100)] == [0.0] * 100
    flood = Pace(15)
    waits = [flood.wait(i / 1000) for i in range(1000)]
    assert waits[:10] == [0.0] * 10
    assert all(wait > 0 for wait in waits[11:])
    assert max(waits) <= 1
    assert flood.rate(1.0) == pytest.approx(1000)
    woken = Pace(15)
    assert woken.wait(0) == 0
    assert [woken.wait(7200.0) for _ in range(8)] == [0.0] * 8, "a machine that slept catches up"
    assert len(row()) == WIDTH
