"""When a message goes out that falls into quiet hours."""

from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from paddock_core.quiet_hours import QuietHours, next_try

NIGHTS = QuietHours(20 * 60, 6 * 60, frozenset(range(7)))
ZONE = ZoneInfo("Europe/Lisbon")


def at(text):
    return datetime.fromisoformat(text).replace(tzinfo=ZONE)


@pytest.mark.parametrize(
    ("moment", "goes_out"),
    [
        ("2026-11-18 12:00", "2026-11-18 12:00"),
        ("2026-11-18 20:00", "2026-11-19 06:00"),
        ("2026-11-18 23:59", "2026-11-19 06:00"),
        ("2026-11-19 05:59", "2026-11-19 06:00"),
        ("2026-11-19 06:00", "2026-11-19 06:00"),
        ("2026-03-28 22:00", "2026-03-29 06:00"),
        ("2026-10-24 22:00", "2026-10-25 06:00"),
    ],
)
def test_nights(moment, goes_out):
    assert NIGHTS.end_of_quiet(at(moment)) == at(goes_out)


def test_they_begin_on_the_days_that_are_named():
    weekend = QuietHours(0, 0, frozenset({5, 6}))
    assert weekend.end_of_quiet(at("2026-11-21 09:00")) == at("2026-11-23 00:00")
    friday = QuietHours(20 * 60, 6 * 60, frozenset({4}))
    assert friday.end_of_quiet(at("2026-11-21 03:00")) == at("2026-11-21 06:00")
    assert friday.end_of_quiet(at("2026-11-22 03:00")) == at("2026-11-22 03:00")


@given(
    st.integers(0, 1439),
    st.integers(0, 1439),
    st.sets(st.integers(0, 6), max_size=6),
    st.datetimes(datetime(2026, 1, 1), datetime(2027, 1, 1), timezones=st.just(ZONE)),
)
def test_a_message_never_goes_out_earlier_nor_within_quiet_hours(start, end, days, moment):
    quiet = QuietHours(start, end, days)
    out = quiet.end_of_quiet(moment)
    assert moment <= out <= moment + timedelta(days=9)
    assert quiet.end_of_quiet(out) == out


@pytest.mark.parametrize(("start", "end"), [(-1, 5), (0, 1440), (1440, 0)])
def test_times_outside_of_a_day_are_refused(start, end):
    with pytest.raises(ValueError, match="within a day"):
        QuietHours(start, end, {0})


def test_quiet_for_ever_is_refused():
    with pytest.raises(ValueError, match="for ever"):
        QuietHours(60, 60, set(range(7)))


def test_tries_are_further_and_further_apart():
    waits = [next_try(tries) for tries in range(1, 40)]
    assert waits[:3] == [15, 30, 60]
    assert waits == sorted(waits)
    assert waits[-1] == 3600
