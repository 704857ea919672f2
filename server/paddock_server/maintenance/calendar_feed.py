"""Writes maintenance windows as iCalendar (RFC 5545)."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import UTC, date, datetime
from zoneinfo import ZoneInfo

from icalendar import Calendar, Event, vRecur

from .models import MaintenanceWindow
from .times import moved_times

ZONE_YEARS = 10
"""Years after the last window for which the clock changes of its zone are written."""


def calendar_of(windows: Iterable[MaintenanceWindow], server: str) -> bytes:
    """A calendar of all windows, with the zones that it names (VTIMEZONE)."""
    calendar = Calendar()
    calendar.add("prodid", "-//Yellow Paddock//Maintenance windows//EN")
    calendar.add("version", "2.0")
    calendar.add("x-wr-calname", "Maintenance windows")
    years = {date.today().year}
    for window in windows:
        years.add(window.starts_at.year)
        for event in _events(window, server):
            calendar.add_component(event)
    calendar.add_missing_timezones(date(min(years), 1, 1), date(max(years) + ZONE_YEARS, 1, 1))
    return bytes(calendar.to_ical())


def _events(window: MaintenanceWindow, server: str) -> Iterable[Event]:
    """The window, and an event for each occurrence that was moved."""
    zone = ZoneInfo(window.zone)
    event = _event(window, server, window.starts_at, window.ends_at)
    if window.rule:
        event.add("rrule", vRecur.from_ical(window.rule))
    for wall in window.left_out:
        event.add("exdate", datetime.fromisoformat(wall).replace(tzinfo=zone))
    moved = moved_times(window)
    for added in moved:
        if not added.original:
            period = (added.starts_at.astimezone(UTC), added.ends_at.astimezone(UTC))
            event.add("rdate", [period], parameters={"VALUE": "PERIOD"})
    yield event
    for change in moved:
        if change.original:
            changed = _event(window, server, change.starts_at, change.ends_at)
            changed.add("recurrence-id", datetime.fromisoformat(change.original).replace(tzinfo=zone))
            yield changed


def _event(window: MaintenanceWindow, server: str, starts_at: datetime, ends_at: datetime) -> Event:
    zone = ZoneInfo(window.zone)
    event = Event()
    event.add("uid", window.uid)
    event.add("summary", window.what)
    event.add("location", window.host.name if window.host else window.paddock.name)
    event.add("dtstamp", window.made_at)
    event.add("dtstart", starts_at.astimezone(zone))
    event.add("dtend", ends_at.astimezone(zone))
    event.add("url", f"{server}/maintenance")
    return event
