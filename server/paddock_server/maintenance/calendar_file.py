"""Maintenance windows as iCalendar (RFC 5545): reads files and writes the feed."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from icalendar import Calendar, Event

from paddock_core.recurrence import checked_rule
from paddock_core.units import disk_size

from ..errors import Invalid
from .models import MaintenanceWindow

MAX_FILE_LENGTH = 1_000_000
MAX_EVENTS = 1000


@dataclass(frozen=True)
class ImportedWindow:
    """One event of a file. ``place`` is what its LOCATION says: a paddock or a host, "" for none."""

    uid: str
    what: str
    starts_at: datetime
    ends_at: datetime
    zone: str
    rule: str
    left_out: list[str]
    place: str


def read_calendar(text: str, zone: ZoneInfo) -> list[ImportedWindow]:
    """All events of a file; ``zone`` is for times that name none. Raises Invalid with every event that cannot be
    one."""
    if len(text) > MAX_FILE_LENGTH:
        raise Invalid(f"The file has {disk_size(len(text))}; the limit is {disk_size(MAX_FILE_LENGTH)}.")
    try:
        calendar = Calendar.from_ical(text)
        events = [event for event in calendar.walk("VEVENT") if isinstance(event, Event)]
    except (ValueError, IndexError, KeyError, TypeError, AttributeError, OverflowError, RecursionError) as error:
        raise Invalid(f"This is not an iCalendar file: {str(error)[:200]}") from None
    if not events:
        raise Invalid("The file has no events.")
    if len(events) > MAX_EVENTS:
        raise Invalid(f"The file has {len(events)} events; at most {MAX_EVENTS} are read.")
    found, errors = [], []
    for number, event in enumerate(events, 1):
        try:
            found.append(_read(event, zone))
        except (Invalid, ValueError, TypeError, AttributeError, OverflowError) as error:
            detail = error.detail if isinstance(error, Invalid) else str(error)
            what = str(event.get("SUMMARY", ""))[:60]
            errors.append({"pointer": f"/events/{number}", "detail": f"Event {number} ({what}): {detail}"[:400]})
    if errors:
        raise Invalid("; ".join(one["detail"] for one in errors[:5]), errors=errors)
    return found


def _read(event: Event, zone: ZoneInfo) -> ImportedWindow:
    if event.get("DTSTART") is None:
        raise Invalid("it has no start")
    start = event.decoded("DTSTART")
    starts_at, known = _moment(start, zone)
    if event.get("DTEND") is not None:
        ends_at, _ = _moment(event.decoded("DTEND"), zone)
    elif event.get("DURATION") is not None:
        ends_at = starts_at + event.decoded("DURATION")
    else:
        ends_at = starts_at + timedelta(days=0 if isinstance(start, datetime) else 1)
    rule = event.get("RRULE")
    return ImportedWindow(
        str(event.get("UID", ""))[:300],
        str(event.get("SUMMARY", "maintenance"))[:200],
        starts_at,
        ends_at,
        known,
        checked_rule(rule.to_ical().decode() if rule is not None else ""),
        [
            _moment(one.dt, zone)[0].astimezone(ZoneInfo(known)).replace(tzinfo=None).isoformat()
            for one in _dates(event)
        ],
        str(event.get("LOCATION", "")).strip()[:100],
    )


def _dates(event: Event) -> list[Any]:
    given = event.get("EXDATE") or []
    return [one for listed in (given if isinstance(given, list) else [given]) for one in listed.dts]


def _moment(given: date | datetime, zone: ZoneInfo) -> tuple[datetime, str]:
    """A moment, and the name of its zone."""
    if not isinstance(given, datetime):
        given = datetime(given.year, given.month, given.day)
    if given.tzinfo is None:
        given = given.replace(tzinfo=zone)
    name = getattr(given.tzinfo, "key", None) or str(given.tzinfo)
    try:
        ZoneInfo(name)
    except (ValueError, KeyError, OSError):
        name = "UTC"
    return given, name


def written(windows: Iterable[MaintenanceWindow], server: str) -> bytes:
    """A calendar of all maintenance."""
    calendar = Calendar()
    calendar.add("prodid", "-//Yellow Paddock//Maintenance windows//EN")
    calendar.add("version", "2.0")
    calendar.add("x-wr-calname", "Maintenance windows")
    for window in windows:
        zone = ZoneInfo(window.zone)
        event = Event()
        event.add("uid", window.uid)
        event.add("summary", window.what)
        event.add("location", window.host.name if window.host else window.paddock.name)
        event.add("dtstamp", window.made_at)
        event.add("dtstart", window.starts_at.astimezone(zone))
        event.add("dtend", window.ends_at.astimezone(zone))
        event.add("url", f"{server}/maintenance")
        if window.rule:
            event.add("rrule", dict(part.split("=", 1) for part in window.rule.split(";") if "=" in part))
        for wall in window.left_out:
            event.add("exdate", datetime.fromisoformat(wall).replace(tzinfo=zone))
        calendar.add_component(event)
    return bytes(calendar.to_ical())
