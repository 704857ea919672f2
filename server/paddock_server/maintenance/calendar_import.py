"""Reads maintenance windows from an iCalendar file (RFC 5545)."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from datetime import date, datetime, time, timedelta
from threading import Lock
from typing import Any
from zoneinfo import ZoneInfo

from icalendar import Calendar, Event
from icalendar.timezone import tzp

from paddock_core.errors import RuleError
from paddock_core.recurrence import checked_rule
from paddock_core.time_zones import equivalent_zone
from paddock_core.units import disk_size

from ..errors import Invalid
from .times import MovedTime

MAX_FILE_LENGTH = 1_000_000
MAX_EVENTS = 1000
MAX_ZONES = 5
"""Zones of a file's own: each is compared with those of the IANA database."""

_zones_lock = Lock()


@dataclass(frozen=True)
class ImportedWindow:
    """An event of a file with its exceptions. ``place`` is its LOCATION: a paddock or a host, "" for none. ``left_out``
    are cancelled occurrences, by the clock of the zone; ``is_cancelled`` means that the whole event was."""

    uid: str
    what: str
    starts_at: datetime
    ends_at: datetime
    zone: str
    rule: str
    place: str
    left_out: list[str]
    moved: list[MovedTime] = field(default_factory=list)
    is_cancelled: bool = False


@dataclass(frozen=True)
class _Change:
    """An event that changes one occurrence of another; ``original`` is the start that the occurrence had."""

    uid: str
    original: date | datetime
    starts_at: datetime
    ends_at: datetime
    is_cancelled: bool


def read_calendar(text: str, zone: ZoneInfo) -> list[ImportedWindow]:
    """All events of a file; ``zone`` is for times that name none. Raises Invalid, which names each event that it cannot
    read."""
    if len(text) > MAX_FILE_LENGTH:
        raise Invalid(f"The file has {disk_size(len(text))}; the limit is {disk_size(MAX_FILE_LENGTH)}.")
    try:
        calendar = _parsed(text)
        events = [event for event in calendar.walk("VEVENT") if isinstance(event, Event)]
    except (ValueError, IndexError, KeyError, TypeError, AttributeError, OverflowError, RecursionError) as error:
        raise Invalid(f"This is not an iCalendar file: {str(error)[:200]}") from None
    if not events:
        raise Invalid("The file has no events.")
    if len(events) > MAX_EVENTS:
        raise Invalid(f"The file has {len(events)} events; the limit is {MAX_EVENTS}.")
    return _Reader(zone, is_cancelling=str(calendar.get("METHOD", "")).upper() == "CANCEL").read(events)


def _parsed(text: str) -> Calendar:
    """The library remembers the zones that a file describes, by name, for all later files: two files may mean different
    zones by one name."""
    with _zones_lock:
        tzp.use_default()
        return Calendar.from_ical(text)


class _Reader:
    def __init__(self, zone: ZoneInfo, is_cancelling: bool) -> None:
        self._zone = zone
        self._is_cancelling = is_cancelling
        self._zone_names: dict[str, str] = {}

    def read(self, events: list[Event]) -> list[ImportedWindow]:
        windows: dict[str, ImportedWindow] = {}
        changes: list[tuple[int, Event]] = []
        errors: list[dict[str, str]] = []
        # The last version of an event counts, wherever it stands.
        for number, event in sorted(enumerate(events, 1), key=lambda pair: _version(pair[1])):
            if "RECURRENCE-ID" in event:
                changes.append((number, event))
            elif window := self._guarded(self._window, number, event, errors):
                windows[window.uid or f"event {number}"] = window
        for number, event in changes:
            change = self._guarded(self._change, number, event, errors)
            if change and change.uid in windows:
                windows[change.uid] = self._changed(windows[change.uid], change)
            elif change:
                detail = f"Event {number} ({_summary(event)}): it changes an occurrence of an event that the file lacks"
                errors.append({"pointer": f"/events/{number}", "detail": detail})
        if errors:
            raise Invalid("; ".join(error["detail"] for error in errors[:5]), errors=errors)
        return list(windows.values())

    def _guarded(self, read: Any, number: int, event: Event, errors: list[dict[str, str]]) -> Any:
        try:
            return read(event)
        except (Invalid, RuleError, ValueError, TypeError, AttributeError, KeyError, OverflowError) as error:
            detail = error.detail if isinstance(error, Invalid) else str(error)
            text = f"Event {number} ({_summary(event)}): {detail}"[:400]
            errors.append({"pointer": f"/events/{number}", "detail": text})
            return None

    def _window(self, event: Event) -> ImportedWindow:
        starts_at, ends_at, zone = self._span(event)
        for name in ("RRULE", "EXRULE"):
            if isinstance(event.get(name), list) or (name == "EXRULE" and name in event):
                raise Invalid(f"it has more than one rule ({name}); write it as several events")
        rule = event.get("RRULE")
        return ImportedWindow(
            str(event.get("UID", ""))[:300],
            str(event.get("SUMMARY", "maintenance"))[:200],
            starts_at,
            ends_at,
            zone,
            checked_rule(rule.to_ical().decode() if rule is not None else ""),
            str(event.get("LOCATION", "")).strip()[:100],
            [self._wall(excluded, starts_at, zone) for excluded in _dates(event, "EXDATE")],
            [self._added(added, starts_at, ends_at, zone) for added in _dates(event, "RDATE")],
            self._is_cancelled(event),
        )

    def _change(self, event: Event) -> _Change:
        if "RANGE" in event["RECURRENCE-ID"].params:
            raise Invalid("it changes all later occurrences; write those as an event of their own")
        starts_at, ends_at, _ = self._span(event)
        original = event.decoded("RECURRENCE-ID")
        return _Change(str(event.get("UID", ""))[:300], original, starts_at, ends_at, self._is_cancelled(event))

    def _changed(self, window: ImportedWindow, change: _Change) -> ImportedWindow:
        wall = self._wall(change.original, window.starts_at, window.zone)
        moved = [time for time in window.moved if time.original != wall]
        left_out = [time for time in window.left_out if time != wall]
        if change.is_cancelled:
            return replace(window, left_out=[*left_out, wall], moved=moved)
        moved.append(MovedTime(wall, change.starts_at, change.ends_at))
        return replace(window, left_out=left_out, moved=moved)

    def _is_cancelled(self, event: Event) -> bool:
        return self._is_cancelling or str(event.get("STATUS", "")).upper() == "CANCELLED"

    def _span(self, event: Event) -> tuple[datetime, datetime, str]:
        if event.get("DTSTART") is None:
            raise Invalid("it has no start")
        start = event.decoded("DTSTART")
        starts_at, zone = self._moment(start)
        if event.get("DTEND") is not None:
            return starts_at, self._moment(event.decoded("DTEND"))[0], zone
        if event.get("DURATION") is not None:
            return starts_at, starts_at + event.decoded("DURATION"), zone
        return starts_at, starts_at + timedelta(days=0 if isinstance(start, datetime) else 1), zone

    def _added(self, added: Any, starts_at: datetime, ends_at: datetime, zone: str) -> MovedTime:
        """An occurrence besides those of the rule: a time, or a period with an end or a duration of its own."""
        if isinstance(added, tuple):
            begins = self._moment(added[0])[0]
            ends = begins + added[1] if isinstance(added[1], timedelta) else self._moment(added[1])[0]
        else:
            wall = datetime.fromisoformat(self._wall(added, starts_at, zone))
            begins = wall.replace(tzinfo=ZoneInfo(zone))
            ends = begins + (ends_at - starts_at)
        return MovedTime("", begins, ends)

    def _wall(self, given: date | datetime, starts_at: datetime, zone: str) -> str:
        """A moment by the clock of the zone. A date alone means the occurrence of that day."""
        place = ZoneInfo(zone)
        if not isinstance(given, datetime):
            return datetime.combine(given, starts_at.astimezone(place).time()).isoformat()
        return self._moment(given)[0].astimezone(place).replace(tzinfo=None).isoformat()

    def _moment(self, given: date | datetime) -> tuple[datetime, str]:
        """A moment, and the name of its zone."""
        if not isinstance(given, datetime):
            given = datetime.combine(given, time())
        if given.tzinfo is None:
            given = given.replace(tzinfo=self._zone)
        return given, self._zone_name(given)

    def _zone_name(self, moment: datetime) -> str:
        """The IANA name of the zone of a moment, also of one that the file itself describes (VTIMEZONE)."""
        zone = moment.tzinfo
        assert zone
        known = getattr(zone, "key", None)
        if isinstance(known, str):
            return known
        own_name = str(zone)
        if own_name not in self._zone_names:
            if len(self._zone_names) >= MAX_ZONES:
                raise Invalid(f"The file describes more than {MAX_ZONES} time zones of its own.")
            self._zone_names[own_name] = equivalent_zone(zone, moment, [self._zone.key])
        if not self._zone_names[own_name]:
            raise Invalid("its time zone fits no IANA zone; write it in UTC or with a name like Europe/Lisbon")
        return self._zone_names[own_name]


def _summary(event: Event) -> str:
    return str(event.get("SUMMARY", ""))[:60]


def _version(event: Event) -> int:
    """Its SEQUENCE, by which a calendar counts the versions of an event."""
    try:
        return int(event.get("SEQUENCE", 0))
    except (ValueError, TypeError):
        return 0


def _dates(event: Event, name: str) -> Iterable[Any]:
    given = event.get(name) or []
    return [moment.dt for listed in (given if isinstance(given, list) else [given]) for moment in listed.dts]
