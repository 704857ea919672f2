"""Maintenance windows as iCalendar: exceptions, zones and rules, read and written."""

from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from django.utils import timezone
from hypothesis import given
from hypothesis import settings as hypothesis_settings
from hypothesis import strategies as st
from icalendar import Calendar

from paddock_core.recurrence import wall_times
from paddock_core.time_zones import equivalent_zone
from paddock_server.errors import Invalid
from paddock_server.hosts.models import Paddock
from paddock_server.maintenance.calendar_feed import calendar_of
from paddock_server.maintenance.calendar_import import read_calendar
from paddock_server.maintenance.models import MaintenanceWindow
from paddock_server.maintenance.times import MovedTime, look_ahead, times_between

LISBON = ZoneInfo("Europe/Lisbon")
HARBOUR_TIME = """BEGIN:VTIMEZONE
TZID:Harbour Time
BEGIN:STANDARD
DTSTART:16010101T030000
RRULE:FREQ=YEARLY;BYDAY=-1SU;BYMONTH=10
TZOFFSETFROM:+0200
TZOFFSETTO:+0100
END:STANDARD
BEGIN:DAYLIGHT
DTSTART:16010101T020000
RRULE:FREQ=YEARLY;BYDAY=-1SU;BYMONTH=3
TZOFFSETFROM:+0100
TZOFFSETTO:+0200
END:DAYLIGHT
END:VTIMEZONE"""
SERIES = """BEGIN:VEVENT
UID:disks@saltmarsh.example
SUMMARY:New disks
DTSTART;TZID=Europe/Lisbon:20261005T080000
DTEND;TZID=Europe/Lisbon:20261005T090000
RRULE:FREQ=WEEKLY;BYDAY=MO,TH
END:VEVENT"""
MANY_EXCEPTIONS = "\n".join(f"EXDATE:20260101T00{n // 60:02}{n % 60:02}Z" for n in range(501))


def calendar(*parts, method=""):
    head = f"METHOD:{method}\n" if method else ""
    text = f"BEGIN:VCALENDAR\nVERSION:2.0\nPRODID:x\n{head}" + "\n".join(parts) + "\nEND:VCALENDAR\n"
    return text.replace("\n", "\r\n")


def more(lines):
    """The series with more lines."""
    return SERIES.replace("END:VEVENT", f"{lines}\nEND:VEVENT")


def ruled(parts):
    """The series with more parts of its rule."""
    return SERIES.replace("MO,TH", f"MO,TH;{parts}")


def changed(original, *lines):
    start = "" if any(line.startswith("DTSTART") for line in lines) else f"\nDTSTART{original}\nDURATION:PT1H"
    text = "\n".join(lines)
    return f"BEGIN:VEVENT\nUID:disks@saltmarsh.example\nRECURRENCE-ID{original}{start}\n{text}\nEND:VEVENT"


def import_file(client, text, **more):
    return client.post("/api/v1/maintenance-calendar/", {"text": text, "place": "shoreline", **more}, format="json")


def october(uid="disks@saltmarsh.example", zone=LISBON):
    """The starts in October 2026, by the clock of the zone."""
    window = MaintenanceWindow.objects.get(uid=uid)
    found = times_between(window, datetime(2026, 10, 1, tzinfo=zone), datetime(2026, 11, 1, tzinfo=zone))
    return [f"{starts.astimezone(zone):%d %H:%M}" for starts, _ in found]


REGULAR = ["05 08:00", "08 08:00", "12 08:00", "15 08:00", "19 08:00", "22 08:00", "26 08:00", "29 08:00"]


def without(*days, added=()):
    return sorted([day for day in REGULAR if day[:2] not in days] + list(added))


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        (calendar(SERIES), REGULAR),
        # The end of a rule at a moment: in October, eight in Lisbon is seven in UTC.
        (calendar(ruled("UNTIL=20261015T070000Z")), REGULAR[:4]),
        (calendar(ruled("UNTIL=20261015T065959Z")), REGULAR[:3]),
        (calendar(ruled("UNTIL=20261015")), REGULAR[:4]),
        (
            calendar(more("EXDATE;TZID=Europe/Lisbon:20261005T080000,20261008T080000")),
            without("05", "08"),
        ),
        (calendar(more("EXDATE:20261012T070000Z\nEXDATE:20261015T070000Z")), without("12", "15")),
        (calendar(more("EXDATE;VALUE=DATE:20261012")), without("12")),
        (
            calendar(more("RDATE;TZID=Europe/Lisbon:20261007T220000")),
            without(added=["07 22:00"]),
        ),
        (
            calendar(more("RDATE;VALUE=PERIOD:20261007T210000Z/PT3H")),
            without(added=["07 22:00"]),
        ),
        # Moved, also before the event itself; cancelled; moved with a clock elsewhere.
        (
            calendar(
                SERIES,
                changed(
                    ";TZID=Europe/Lisbon:20261012T080000",
                    "DTSTART;TZID=Europe/Lisbon:20261013T100000",
                    "DTEND;TZID=Europe/Lisbon:20261013T120000",
                ),
            ),
            without("12", added=["13 10:00"]),
        ),
        (
            calendar(changed(":20261012T070000Z", "DTSTART;TZID=Asia/Tokyo:20261013T100000", "DURATION:PT2H"), SERIES),
            without("12", added=["13 02:00"]),
        ),
        (calendar(SERIES, changed(";TZID=Europe/Lisbon:20261012T080000", "STATUS:CANCELLED")), without("12")),
        (
            calendar(SERIES, changed(";VALUE=DATE:20261012", "STATUS:CANCELLED", "DTSTART:20261012T070000Z")),
            without("12"),
        ),
        # The last version of an event and of a change counts, wherever it stands.
        (calendar(more("SEQUENCE:2"), ruled("COUNT=2\nSEQUENCE:1")), REGULAR),
        (
            calendar(
                SERIES,
                changed(":20261012T070000Z", "STATUS:CANCELLED", "SEQUENCE:3"),
                changed(":20261012T070000Z", "DTSTART:20261013T070000Z", "DURATION:PT2H", "SEQUENCE:2"),
            ),
            without("12"),
        ),
        # The name that another system has for the zone, and a zone that the file describes.
        (calendar(SERIES.replace("Europe/Lisbon", "GMT Standard Time")), REGULAR),
        (
            calendar(HARBOUR_TIME, SERIES.replace("Europe/Lisbon", "Harbour Time")),
            [day.replace("08:", "07:") for day in REGULAR],
        ),
    ],
)
def test_exceptions_rules_and_zones_are_read(operator, shoreline, text, expected):
    answer = import_file(operator, text)
    assert answer.json() == {"new": 1, "changed": 0, "cancelled": 0}
    assert october() == expected


def test_a_zone_that_the_file_describes_follows_summer_time(operator, shoreline):
    import_file(operator, calendar(HARBOUR_TIME, SERIES.replace("Europe/Lisbon", "Harbour Time")), zone="Europe/Paris")
    window = MaintenanceWindow.objects.get()
    assert window.zone == "Europe/Paris", "the zone of the reader, which agrees with it"
    start = datetime(2026, 10, 22, tzinfo=UTC)
    hours = [starts.hour for starts, _ in times_between(window, start, start + timedelta(days=8))]
    assert hours == [6, 7, 7]


def test_two_files_may_mean_different_zones_by_one_name(operator, shoreline):
    series = SERIES.replace("Europe/Lisbon", "Harbour Time")
    import_file(operator, calendar(HARBOUR_TIME, series), zone="Europe/Paris")
    farther = HARBOUR_TIME.replace("+0200", "+0300").replace("+0100", "+0200")
    import_file(operator, calendar(series, farther), zone="Europe/Athens")
    assert MaintenanceWindow.objects.get().zone == "Europe/Athens"


def test_a_cancelled_event_deletes_its_window_and_one_never_known_is_nothing(operator, shoreline):
    import_file(operator, calendar(SERIES))
    cancelled = calendar(more("STATUS:CANCELLED"), SERIES.replace("UID:", "UID:other-"))
    assert import_file(operator, cancelled).json() == {"new": 1, "changed": 0, "cancelled": 1}
    assert import_file(operator, cancelled).json() == {"new": 0, "changed": 1, "cancelled": 0}
    other = calendar(SERIES.replace("UID:", "UID:other-"), method="CANCEL")
    assert import_file(operator, other).json() == {"new": 0, "changed": 0, "cancelled": 1}
    assert not MaintenanceWindow.objects.exists()


@pytest.mark.parametrize(
    ("text", "says"),
    [
        (calendar(changed(":20261012T070000Z", "STATUS:CANCELLED")), "an event that the file lacks"),
        (calendar(SERIES, changed(";RANGE=THISANDFUTURE:20261012T070000Z")), "all later occurrences"),
        (calendar(more("RRULE:FREQ=DAILY")), "more than one rule"),
        (calendar(more("EXRULE:FREQ=DAILY")), "EXRULE"),
        (calendar(ruled("BYHOUR=8")), "at one time of day"),
        (calendar(SERIES.replace("20261005T09", "20261005T07")), "ends after it starts"),
        (
            calendar(SERIES, changed(":20261012T070000Z", "DTSTART:20261013T070000Z", "DTEND:20261013T060000Z")),
            "ends after",
        ),
        (calendar(SERIES, changed(":20261012T070000Z", "DTSTART:99981013T070000Z", "DURATION:PT1H")), "between"),
        (
            calendar(HARBOUR_TIME.replace("+0200", "+0213"), SERIES.replace("Europe/Lisbon", "Harbour Time")),
            "time zone fits no IANA",
        ),
        (
            calendar(more(MANY_EXCEPTIONS)),
            "more than 500",
        ),
    ],
)
def test_what_cannot_be_read_is_refused_whole(operator, shoreline, text, says):
    answer = import_file(operator, text)
    assert (answer.status_code, says in answer.json()["detail"]) == (400, True), answer.json()["detail"]
    assert not MaintenanceWindow.objects.exists()


def test_the_feed_says_all_of_it(operator, shoreline, client):
    text = calendar(
        SERIES.replace("MO,TH", "MO,TH;UNTIL=20271015T070000Z")
        .replace("END:V", "EXDATE:20261005T070000Z\nRDATE;VALUE=PERIOD:20261007T210000Z/PT3H\nEND:V"),
        changed(":20261012T070000Z", "DTSTART:20261013T070000Z", "DURATION:PT2H"),
    )  # fmt: skip
    import_file(operator, text)
    before = october()
    feed = client.get(operator.post("/api/v1/maintenance-feed/").json()["url"].removeprefix("http://testserver"))
    read = Calendar.from_ical(feed.content)
    assert [str(zone["TZID"]) for zone in read.walk("VTIMEZONE")] == ["Europe/Lisbon"]
    series, moved = read.walk("VEVENT")
    assert series["RRULE"].to_ical() == b"FREQ=WEEKLY;UNTIL=20271015T070000Z;BYDAY=MO,TH"
    assert str(moved["UID"]) == str(series["UID"])
    assert moved.decoded("RECURRENCE-ID") == datetime(2026, 10, 12, 8, tzinfo=LISBON)
    MaintenanceWindow.objects.all().delete()
    assert import_file(operator, feed.content.decode()).json()["new"] == 1
    assert october() == before
    (listed,) = operator.get("/api/v1/maintenance-windows/").json()["results"]
    assert listed["exceptions"] == 3


ZONES = ["UTC", "Europe/Lisbon", "America/New_York", "Australia/Lord_Howe", "Asia/Kathmandu", "America/Sao_Paulo"]
RULES = ["", "FREQ=DAILY;INTERVAL=3", "FREQ=WEEKLY;BYDAY=MO,WE,FR", "FREQ=MONTHLY;BYDAY=-1SU", "FREQ=DAILY;COUNT=9"]


@hypothesis_settings(deadline=None, max_examples=40)
@given(
    st.sampled_from(ZONES),
    st.sampled_from(RULES),
    st.datetimes(datetime(2026, 1, 1), datetime(2026, 12, 1)),
    st.integers(1, 30 * 60),
    st.sets(st.integers(0, 6), max_size=3),
    st.dictionaries(st.integers(0, 6), st.integers(-3000, 3000), max_size=3),
)
def test_what_is_written_is_read_as_the_same_times(zone_name, rule, wall, minutes, left_out, moves):
    zone = ZoneInfo(zone_name)
    first = wall.replace(second=0, microsecond=0, tzinfo=zone)
    lasts = timedelta(minutes=minutes)
    window = MaintenanceWindow(
        what="new disks", paddock=Paddock(name="shoreline"), starts_at=first, ends_at=first + lasts, zone=zone_name,
        rule=rule, uid="a@saltmarsh.example", made_at=timezone.now(),
    )  # fmt: skip
    if rule:
        window.ahead, _ = look_ahead(rule, first, zone, first)
        walls = dict(enumerate(window.ahead))
        window.left_out = [walls[n] for n in sorted(left_out - moves.keys()) if n in walls]
        moved = {n: first + timedelta(minutes=by) for n, by in moves.items() if n in walls}
        window.moved = [MovedTime(walls[n], start, start + lasts).as_saved() for n, start in moved.items()]
    (read,) = read_calendar(calendar_of([window], "http://paddock").decode(), LISBON)
    again = MaintenanceWindow(
        starts_at=read.starts_at, ends_at=read.ends_at, zone=read.zone, rule=read.rule, left_out=read.left_out,
        moved=[moved.as_saved() for moved in read.moved], ahead=window.ahead,
    )  # fmt: skip
    start, end = first - timedelta(days=10), first + timedelta(days=200)
    assert list(times_between(again, start, end)) == list(times_between(window, start, end))


@pytest.mark.parametrize("name", ["Europe/Lisbon", "America/New_York", "Asia/Kathmandu", "Australia/Lord_Howe"])
def test_a_zone_is_found_by_its_clock(name):
    start = datetime(2026, 5, 1, tzinfo=UTC)
    found = equivalent_zone(ZoneInfo(name), start)
    days = [start + timedelta(days=number) for number in range(366)]
    assert all(
        day.astimezone(ZoneInfo(found)).utcoffset() == day.astimezone(ZoneInfo(name)).utcoffset() for day in days
    )
    assert equivalent_zone(ZoneInfo(name), start, [name]) == name


def test_a_rule_that_ends_at_a_moment_ends_there_by_the_clock_of_its_zone():
    first, end = datetime(2026, 7, 1, 23, 30), datetime(2026, 8, 1)
    tokyo = ZoneInfo("Asia/Tokyo")
    rule = "FREQ=DAILY;UNTIL=20260703T143000Z"
    assert [time.day for time in wall_times(rule, first, end, tokyo)] == [1, 2, 3]
    assert [time.day for time in wall_times(rule, first, end)] == [1, 2]


def test_a_file_with_too_many_zones_of_its_own_is_refused():
    zones, events = [], []
    for number in range(6):
        zones.append(HARBOUR_TIME.replace("Harbour Time", f"Harbour {number}"))
        events.append(SERIES.replace("Europe/Lisbon", f"Harbour {number}").replace("UID:", f"UID:{number}-"))
    with pytest.raises(Invalid, match="more than 5 time zones"):
        read_calendar(calendar(*zones, *events), LISBON)
