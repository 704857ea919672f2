"""Holds with a planned end, of hosts and of paddocks; maintenance windows: entered, imported, and as a feed."""

from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from django.contrib.auth.models import User
from django.utils import timezone
from hypothesis import given
from hypothesis import strategies as st
from icalendar import Calendar
from people import a_person

from paddock_agent import wire
from paddock_server.hosts.models import Host
from paddock_server.logbook.models import Entry
from paddock_server.maintenance.loop import look
from paddock_server.maintenance.models import CalendarAddress, MaintenanceWindow
from paddock_server.maintenance.times import look_ahead, times_between
from paddock_server.people.models import Grant, Role
from paddock_server.work import recent_usage
from paddock_server.work.actions.record_report import record_report
from paddock_server.work.models import Attempt
from paddock_server.work.round import run_round


def fresh(host):
    return Host.objects.get(pk=host.pk)


def plan(client, place, starts, ends, **more):
    body = {"what": "new disks", "place": place, "starts_at": starts.isoformat(), "ends_at": ends.isoformat(), **more}
    return client.post("/api/v1/maintenance-windows/", body, format="json")


def soon(minutes):
    return timezone.now() + timedelta(minutes=minutes)


def test_a_hold_with_a_planned_end_is_resumed_by_itself_and_says_until_when(operator, new_host):
    host = new_host()
    url = f"/api/v1/hosts/{host.name}/hold/"
    assert operator.post(url, {"until": soon(-5).isoformat()}, format="json").status_code == 400
    sheet = operator.post(url, {"reason": "new disk", "until": soon(30).isoformat()}, format="json").json()
    held = next(step for step in sheet["conditions"] if step["name"] == "Not held")
    assert "deckhand: new disk, until" in held["detail"]
    look()
    assert fresh(host).holding == "held"
    Host.objects.filter(pk=host.pk).update(hold_until=soon(-1))
    look()
    assert (fresh(host).holding, fresh(host).hold_until) == ("", None)


def test_a_paddock_is_drained_and_resumed_as_one_and_what_runs_is_told_with_its_usual_time(operator, viewer, new_host):
    hosts = [new_host() for _ in range(2)]
    body = {"name": "compile", "pipeline": "almanac-docs", "terms": [f"host {hosts[0].name}"], "script": "make"}
    for _ in range(2):
        operator.post("/api/v1/jobs/", body, format="json")
        run_round()
        attempt = Attempt.objects.order_by("-pk").first()
        record_report(hosts[0], wire.AttemptStarted(attempt=attempt.wire_name, account="build", folder="/work"))
        if Attempt.objects.count() == 1:
            record_report(hosts[0], wire.AttemptEnded(attempt=attempt.wire_name, outcome="exited", exit_code=0))
    changed = operator.post("/api/v1/paddocks/shoreline/drain/", {"reason": "power"}, format="json").json()
    assert changed == [host.name for host in hosts]
    assert [fresh(host).holding for host in hosts] == ["draining", "held"]
    recent_usage.forget()
    (work,) = viewer.get(f"/api/v1/hosts/{hosts[0].name}/work/").json()["results"]
    assert (work["name"], work["usual"] is not None) == ("compile", True)
    assert viewer.post("/api/v1/paddocks/shoreline/resume/", {}, format="json").status_code == 403
    operator.post("/api/v1/paddocks/shoreline/resume/", {}, format="json")
    assert [fresh(host).holding for host in hosts] == ["", ""]


def test_planned_care_holds_its_hosts_while_it_lasts_and_lets_alone_who_was_resumed(operator, new_host):
    host, other, held = (new_host() for _ in range(3))
    operator.post(f"/api/v1/hosts/{held.name}/hold/", {"reason": "mine"}, format="json")
    assert plan(operator, "shoreline", soon(-1), soon(60)).status_code == 201
    look()
    assert fresh(host).hold_reason == "maintenance: new disks"
    assert fresh(held).hold_reason == "mine"
    operator.post(f"/api/v1/hosts/{other.name}/resume/")
    look()
    assert fresh(other).holding == ""
    Host.objects.filter(pk=host.pk).update(hold_until=soon(-1))
    look()
    assert (fresh(host).holding, fresh(held).holding) == ("", "held")


def test_care_that_is_over_or_to_come_holds_nobody(operator, new_host):
    host = new_host()
    plan(operator, host.name, soon(-60), soon(-1))
    plan(operator, host.name, soon(5), soon(60))
    look()
    assert fresh(host).holding == ""
    times = operator.get("/api/v1/maintenance-times/?days=2").json()["results"]
    assert [one["host"] for one in times][-1] == host.name


@pytest.mark.parametrize(
    ("more", "mistake"),
    [
        ({"rule": "FREQ=SECONDLY"}, "daily, weekly"), ({"rule": "EVERY DAY"}, "has the part"),
        ({"zone": "Atlantis/Here"}, "Unknown time zone"), ({"place": "nowhere"}, "No host or paddock"),
        ({"ends_at": "2020-01-01T00:00:00Z"}, "ends after it starts"),
        ({"rule": "FREQ=DAILY;BYHOUR=1,2,3"}, "at one time of day"),
    ],
)  # fmt: skip
def test_a_plan_that_cannot_be_says_why(operator, shoreline, more, mistake):
    body = {"what": "x", "place": "shoreline", "starts_at": soon(1).isoformat(), "ends_at": soon(9).isoformat(), **more}
    answer = operator.post("/api/v1/maintenance-windows/", body, format="json")
    assert answer.status_code == 400
    assert mistake in answer.json()["detail"]


CALENDAR = """BEGIN:VCALENDAR\r
VERSION:2.0\r
PRODID:-//Saltmarsh//harbour//EN\r
BEGIN:VEVENT\r
UID:disks@saltmarsh.example\r
SUMMARY:New disks\r
DTSTART;TZID=Europe/Lisbon:20260328T220000\r
DURATION:PT2H\r
RRULE:FREQ=DAILY;COUNT=3\r
EXDATE;TZID=Europe/Lisbon:20260329T220000\r
LOCATION:shoreline\r
END:VEVENT\r
BEGIN:VEVENT\r
UID:power@saltmarsh.example\r
SUMMARY:Power off\r
DTSTART;VALUE=DATE:20260401\r
END:VEVENT\r
END:VCALENDAR\r
"""


def read(client, text=CALENDAR, **more):
    return client.post("/api/v1/maintenance-calendar/", {"text": text, "place": "shoreline", **more}, format="json")


def test_a_calendar_is_read_by_the_clock_on_the_wall_and_replaces_what_it_brought_before(operator, shoreline):
    assert read(operator, zone="Europe/Lisbon").json() == {"new": 2, "changed": 0, "cancelled": 0}
    disks = MaintenanceWindow.objects.get(uid="disks@saltmarsh.example")
    march = datetime(2026, 3, 1, tzinfo=UTC)
    found = [begins for begins, _ in times_between(disks, march, march + timedelta(days=60))]
    # Summer time began between the two.
    assert found == [datetime(2026, 3, 28, 22, tzinfo=UTC), datetime(2026, 3, 30, 21, tzinfo=UTC)]
    power = MaintenanceWindow.objects.get(uid="power@saltmarsh.example")
    assert power.ends_at - power.starts_at == timedelta(days=1)
    assert read(operator, CALENDAR.replace("PT2H", "PT3H")).json() == {"new": 0, "changed": 2, "cancelled": 0}
    assert MaintenanceWindow.objects.count() == 2


@pytest.mark.parametrize("text", ["", "rubbish", "BEGIN:VCALENDAR\r\nEND:VCALENDAR\r\n", "BEGIN:VEVENT", "\0" * 50])
def test_what_is_no_calendar_is_refused_and_nothing_is_planned(operator, shoreline, text):
    assert read(operator, text).status_code == 400
    assert not MaintenanceWindow.objects.exists()


def test_one_wrong_event_refuses_them_all_with_its_name(operator, shoreline):
    answer = read(operator, CALENDAR.replace("FREQ=DAILY", "FREQ=HOURLY"))
    assert "Event 1 (New disks)" in answer.json()["detail"]
    assert not MaintenanceWindow.objects.exists()


def path_of(person):
    return person.post("/api/v1/maintenance-feed/").json()["url"].split("testserver")[1]


def test_a_persons_feed_has_the_plans_that_the_person_may_see(operator, client, shoreline, orchard):
    read(operator, zone="Europe/Lisbon")
    plan(operator, "orchard", soon(60), soon(120))
    feed = client.get(path_of(a_person("loop", Role.VIEWER, shoreline)))
    assert feed["Content-Type"].startswith("text/calendar")
    events = {str(one["UID"]): one for one in Calendar.from_ical(feed.content).walk("VEVENT")}
    assert str(events["disks@saltmarsh.example"]["LOCATION"]) == "shoreline"
    assert events["disks@saltmarsh.example"]["RRULE"]["COUNT"] == [3]
    assert {str(one["LOCATION"]) for one in events.values()} == {"shoreline"}
    assert b"orchard" in client.get(path_of(operator)).content


def test_the_address_of_a_feed_is_told_once_and_ends_when_another_is_made(viewer, client, shoreline):
    assert viewer.get("/api/v1/maintenance-feed/").json() == {"made_at": None, "url": ""}
    first = path_of(viewer)
    kept = viewer.get("/api/v1/maintenance-feed/").json()
    assert (kept["url"], kept["made_at"] is None) == ("", False)
    assert first.removeprefix("/maintenance/").removesuffix(".ics") not in str(CalendarAddress.objects.values())
    second = path_of(viewer)
    assert [client.get(path).status_code for path in (first, second, "/maintenance/x.ics")] == [404, 200, 404]
    User.objects.filter(username="lookout").update(is_active=False)
    assert client.get(second).status_code == 404
    User.objects.filter(username="lookout").update(is_active=True)
    Grant.objects.all().delete()
    assert client.get(second).status_code == 403
    assert viewer.delete("/api/v1/maintenance-feed/").status_code == 204
    assert client.get(second).status_code == 404
    assert viewer.post("/api/v1/maintenance-feed/").status_code == 403
    mistake = list(Entry.objects.filter(noun="calendar address").order_by("id").values_list("verb", "who"))
    assert mistake == [("made", "lookout"), ("replaced", "lookout"), ("ended", "lookout")]


@given(st.integers(0, 360), st.integers(0, 360), st.sampled_from(["DAILY", "WEEKLY", "MONTHLY"]))
def test_times_lie_in_the_stretch_in_order_and_last_as_long_as_planned(start, length, often):
    first = datetime(2026, 1, 5, 22, tzinfo=ZoneInfo("Europe/Lisbon"))
    window = MaintenanceWindow(
        starts_at=first, ends_at=first + timedelta(hours=3), zone="Europe/Lisbon", rule=f"FREQ={often}"
    )
    window.ahead, _ = look_ahead(window.rule, first, first.tzinfo, first)
    begin = first + timedelta(days=start)
    found = list(times_between(window, begin, begin + timedelta(days=length)))
    assert found == sorted(found)
    assert all(ends > begin and starts < begin + timedelta(days=length) for starts, ends in found)
    assert all(ends - starts == timedelta(hours=3) for starts, ends in found)
    assert often != "DAILY" or abs(len(found) - length) <= 1 or len(found) == 500
