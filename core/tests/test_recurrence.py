"""The times of recurrence rules, and the cost of computing them."""

from __future__ import annotations

from datetime import datetime, timedelta

import pytest
from dateutil.rrule import _iterinfo, rrulestr
from hypothesis import given, settings
from hypothesis import strategies as st

from paddock_core.errors import RuleError
from paddock_core.recurrence import MAX_TIMES, checked_rule, wall_times

FIRST = datetime(2026, 3, 2, 22)
END = FIRST + timedelta(days=731)


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
        with pytest.raises(RuleError):
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
    except RuleError:
        return
    assert times == sorted(times)
    assert times[0] >= FIRST
    assert times[-1] <= END


def test_a_rule_without_a_day_is_not_looked_for_to_the_end_of_all_years(monkeypatch):
    looked, real = [], _iterinfo.ddayset
    monkeypatch.setattr(_iterinfo, "ddayset", lambda *given: looked.append(1) or real(*given))
    with pytest.raises(RuleError):
        wall_times(checked_rule("FREQ=DAILY;BYMONTH=2;BYMONTHDAY=30"), FIRST, END)
    assert 366 * 2 < len(looked) < 366 * 500
