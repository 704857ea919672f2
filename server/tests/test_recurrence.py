"""Rules of planned care: only what is understood, in bounded time, and one that is broken stops nobody else's."""

from __future__ import annotations

from datetime import datetime, timedelta

import pytest
from dateutil.rrule import _iterinfo, rrulestr
from django.utils import timezone
from hypothesis import given, settings
from hypothesis import strategies as st

from paddock_server.care import keeper
from paddock_server.care.keeper import look
from paddock_server.care.models import Care
from paddock_server.care.recurrence import MAX_TIMES, checked_rule, wall_times
from paddock_server.errors import Invalid
from paddock_server.hosts.models import Host

FIRST = datetime(2026, 3, 2, 22)
END = FIRST + timedelta(days=731)


def soon(minutes):
    return timezone.now() + timedelta(minutes=minutes)


def plan(client, rule, **more):
    body = {"what": "disks", "place": "shoreline", "starts_at": soon(-1).isoformat(), "ends_at": soon(60).isoformat()}
    return client.post("/api/v1/care/", {**body, "rule": rule, **more}, format="json")


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
    assert not Care.objects.exists()


@pytest.mark.parametrize("year", [1, 1999, 2100, 9999])
def test_a_year_that_nobody_means_is_refused(operator, shoreline, year):
    day = f"{year:04}-05-01T0{{}}:00:00Z"
    answer = plan(operator, "FREQ=DAILY", starts_at=day.format(1), ends_at=day.format(2))
    assert answer.status_code == 400


@pytest.mark.parametrize(
    ("rule", "expected"),
    [
        ("FREQ=WEEKLY;BYDAY=SU;COUNT=2", [datetime(2026, 3, 8, 22), datetime(2026, 3, 15, 22)]),
        ("rrule:freq=daily;count=1", [FIRST]),
        ("FREQ=MONTHLY;BYDAY=-1FR;COUNT=2", [datetime(2026, 3, 27, 22), datetime(2026, 4, 24, 22)]),
        ("FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-1;COUNT=1", [datetime(2026, 3, 31, 22)]),
        ("FREQ=DAILY;UNTIL=20260303", [FIRST, FIRST + timedelta(days=1)]),
        ("FREQ=DAILY;UNTIL=20260303T215959Z", [FIRST]),
        ("FREQ=DAILY;UNTIL=20260303T220000Z", [FIRST, FIRST + timedelta(days=1)]),
        ("FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=29", [datetime(2028, 2, 29, 22)]),
        ("FREQ=YEARLY;BYDAY=52SU;COUNT=1", [datetime(2026, 12, 27, 22)]),
        ("FREQ=YEARLY;BYDAY=-1SU;BYMONTH=2;COUNT=1", [datetime(2027, 2, 28, 22)]),
    ],
)
def test_the_times_of_a_rule(rule, expected):
    assert wall_times(checked_rule(rule), FIRST, END) == expected


@given(
    st.sampled_from(["DAILY", "WEEKLY", "MONTHLY", "YEARLY"]),
    st.integers(1, 30),
    st.sampled_from(["", ";BYDAY=MO,SA", ";BYMONTHDAY=1,-1", ";BYMONTH=3,9"]),
)
def test_they_are_what_the_library_says_without_a_bound(often, interval, more):
    rule = checked_rule(f"FREQ={often};INTERVAL={interval}{more}")
    expected = list(rrulestr(rule, dtstart=FIRST).between(FIRST, END, inc=True))
    if expected:
        assert wall_times(rule, FIRST, END) == expected[-MAX_TIMES:]
    else:
        with pytest.raises(Invalid):
            wall_times(rule, FIRST, END)


def a_list(numbers):
    return st.lists(numbers, min_size=1, max_size=4).map(lambda some: ",".join(map(str, some)))


@settings(max_examples=40)
@given(
    st.sampled_from(["DAILY", "WEEKLY", "MONTHLY", "YEARLY"]),
    st.fixed_dictionaries(
        {},
        optional={
            "INTERVAL": st.integers(1, 999),
            "BYDAY": a_list(st.from_regex(r"\A[+-]?[0-9]{0,2}(MO|WE|SU)\Z")),
            "BYMONTHDAY": a_list(st.integers(-31, 31)),
            "BYMONTH": a_list(st.integers(1, 12)),
            "BYSETPOS": a_list(st.integers(-31, 31)),
            "WKST": st.sampled_from(["MO", "SU"]),
        },
    ),
)
def test_any_rule_has_times_in_order_or_is_refused(often, more):
    rule = f"FREQ={often};" + ";".join(f"{name}={value}" for name, value in more.items())
    try:
        times = wall_times(checked_rule(rule), FIRST, END)
    except Invalid:
        return
    assert times == sorted(times)
    assert times[0] >= FIRST
    assert times[-1] <= END


def test_a_rule_without_a_day_is_not_looked_for_to_the_end_of_all_years(monkeypatch):
    looked, real = [], _iterinfo.ddayset
    monkeypatch.setattr(_iterinfo, "ddayset", lambda *given: looked.append(1) or real(*given))
    with pytest.raises(Invalid):
        wall_times(checked_rule("FREQ=DAILY;BYMONTH=2;BYMONTHDAY=30"), FIRST, END)
    assert 366 * 2 < len(looked) < 366 * 500


def test_a_plan_that_fails_keeps_no_other_from_being_held_and_no_hold_from_ending(operator, new_host, monkeypatch):
    host, ended = new_host(), new_host(holding="held")
    Host.objects.filter(pk=ended.pk).update(hold_until=soon(-1))
    for rule in ("FREQ=DAILY", ""):
        assert plan(operator, rule, place=host.name).status_code == 201
    broken = Care.objects.exclude(rule="").get()
    real = keeper.times_between

    def times_between(care, *stretch):
        if care.pk == broken.pk:
            raise OverflowError("date value out of range")
        return real(care, *stretch)

    monkeypatch.setattr(keeper, "times_between", times_between)
    look()
    assert Host.objects.get(pk=host.pk).holding != ""
    assert Host.objects.get(pk=ended.pk).holding == ""


def test_a_rule_from_before_that_is_not_understood_now_holds_nobody_and_is_looked_at_once(operator, new_host):
    host = new_host()
    plan(operator, "FREQ=DAILY", place=host.name)
    Care.objects.update(rule="FREQ=DAILY;INTERVAL=-1", ahead_until=None)
    look()
    care = Care.objects.get()
    assert (care.ahead, care.ahead_until > soon(0)) == ([], True)
    assert Host.objects.get(pk=host.pk).holding == ""


def test_times_are_computed_anew_before_they_run_out(operator, new_host):
    new_host()
    plan(operator, "FREQ=WEEKLY")
    Care.objects.update(ahead=[], ahead_until=soon(60 * 24 * 300))
    look()
    assert len(Care.objects.get().ahead) > 100
