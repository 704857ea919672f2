"""Recurrence rules of maintenance windows: a small part of RFC 5545, computed once for a bounded period.

A rule comes from a person or a calendar file. What it may say is listed here, and nothing else; what it takes to
compute is bounded by the days between its start and the end of the stretch.
"""

from __future__ import annotations

import re
from datetime import MAXYEAR, UTC, datetime, timedelta, tzinfo
from itertools import islice

from dateutil.rrule import rrulestr  # type: ignore[import-untyped]

from .errors import RuleError

HORIZON = timedelta(days=731)
"""How far ahead the times of a rule are computed."""
FIRST_YEAR, LAST_YEAR = 2000, 2100
MAX_TIMES = 1000
"""Times of one plan that are kept: the last of them."""
MAX_LENGTH = 500
CYCLE = 400
"""Years after which the calendar comes again, with its leap years and weekdays."""
FREQUENCIES = ("DAILY", "WEEKLY", "MONTHLY", "YEARLY")
HOW = "Write it as FREQ=WEEKLY;BYDAY=SU."

_WEEKDAY = r"[+-]?\d{0,2}(?:MO|TU|WE|TH|FR|SA|SU)"
_PARTS = {
    "FREQ": re.compile(r"|".join(FREQUENCIES)),
    "INTERVAL": re.compile(r"[1-9]\d{0,2}"),
    "COUNT": re.compile(r"[1-9]\d{0,3}"),
    "UNTIL": re.compile(r"\d{8}(?:T\d{6}Z?)?"),
    "BYDAY": re.compile(rf"{_WEEKDAY}(?:,{_WEEKDAY}){{0,20}}"),
    "BYMONTHDAY": re.compile(r"-?\d{1,2}(?:,-?\d{1,2}){0,30}"),
    "BYMONTH": re.compile(r"\d{1,2}(?:,\d{1,2}){0,11}"),
    "BYSETPOS": re.compile(r"-?\d{1,2}(?:,-?\d{1,2}){0,10}"),
    "WKST": re.compile(r"MO|TU|WE|TH|FR|SA|SU"),
}
_NUMBERS = {"BYMONTHDAY": (1, 31), "BYMONTH": (1, 12), "BYSETPOS": (1, 31)}


def checked_rule(text: str) -> str:
    """The rule as it is kept, "" for none. Raises RuleError for one that says what is not understood here."""
    rule = text.strip().upper().removeprefix("RRULE:")
    if not rule:
        return ""
    if len(rule) > MAX_LENGTH or "\n" in rule:
        raise RuleError(f"A rule is one line of at most {MAX_LENGTH} characters. {HOW}")
    parts: dict[str, str] = {}
    for part in rule.rstrip(";").split(";"):
        name, _, value = part.partition("=")
        if name in ("BYHOUR", "BYMINUTE", "BYSECOND") or (
            name == "FREQ" and value in ("HOURLY", "MINUTELY", "SECONDLY")
        ):
            raise RuleError("A rule repeats daily, weekly, monthly or yearly, at one time of day.")
        if name not in _PARTS:
            raise RuleError(
                f"The rule {rule[:80]!r} has the part {name[:20]!r}; understood are {', '.join(_PARTS)}. {HOW}"
            )
        if name in parts:
            raise RuleError(f"The rule {rule[:80]!r} says {name} twice.")
        if not _PARTS[name].fullmatch(value) or not _is_within(name, value):
            raise RuleError(f"The rule {rule[:80]!r} cannot be read: {name} is {value[:40]!r}. {HOW}")
        parts[name] = value
    if "FREQ" not in parts:
        raise RuleError(f"The rule {rule[:80]!r} does not say how often. {HOW}")
    _check_numbered_days(rule, parts)
    return ";".join(f"{name}={value}" for name, value in parts.items())


def _is_within(name: str, value: str) -> bool:
    low, high = _NUMBERS.get(name, (0, 0))
    return not high or all(low <= abs(int(number)) <= high for number in value.split(","))


def _check_numbered_days(rule: str, parts: dict[str, str]) -> None:
    """Raises RuleError for a weekday with a number that its month or year does not have, as 6MO."""
    numbers = [abs(int(one)) for one in re.findall(r"[+-]?\d+", parts.get("BYDAY", ""))]
    if not numbers:
        return
    if parts["FREQ"] in ("DAILY", "WEEKLY"):
        raise RuleError(f"The rule {rule[:80]!r} numbers a weekday, which only a month or a year can. {HOW}")
    most, whole = (53, "year") if parts["FREQ"] == "YEARLY" and "BYMONTH" not in parts else (5, "month")
    if not all(1 <= number <= most for number in numbers):
        raise RuleError(f"The rule {rule[:80]!r} names a weekday that no {whole} has: its number is 1 to {most}. {HOW}")


def wall_times(rule: str, first: datetime, end: datetime, zone: tzinfo = UTC) -> list[datetime]:
    """The times of a checked rule from ``first`` up to ``end``, by the clock on the wall (without a zone), the last
    MAX_TIMES of them. ``zone`` is where that clock hangs: a rule that ends at a moment in UTC ends there at another
    time of day. Raises RuleError where there is none at all."""
    given = dict(part.split("=", 1) for part in rule.split(";"))
    count = int(given.pop("COUNT", MAX_TIMES * 100))
    if until := given.pop("UNTIL", ""):
        end = min(end, _until(until, rule, zone))
    try:
        # The library looks for a day until the last year there is: begun as late as may be, that is soon.
        later = (MAXYEAR - end.year) // CYCLE * CYCLE
        text = ";".join(f"{name}={value}" for name, value in given.items())
        read = rrulestr(text, dtstart=_years_on(first, later)).replace(until=_years_on(end, later))
        times = [_years_on(one, -later) for one in islice(read, count)]
    except (ValueError, TypeError, OverflowError) as error:
        raise RuleError(f"The rule {rule[:80]!r} cannot be read: {error}. {HOW}") from None
    if not times:
        raise RuleError(f"The rule {rule[:80]!r} has no occurrence within two years.")
    return times[-MAX_TIMES:]


def _years_on(moment: datetime, years: int) -> datetime:
    return moment.replace(year=moment.year + years)


def _until(value: str, rule: str, zone: tzinfo) -> datetime:
    try:
        if value.endswith("Z"):
            moment = datetime.strptime(value, "%Y%m%dT%H%M%SZ").replace(tzinfo=UTC)
            return moment.astimezone(zone).replace(tzinfo=None)
        if "T" in value:
            return datetime.strptime(value, "%Y%m%dT%H%M%S")
        return datetime.strptime(value, "%Y%m%d") + timedelta(days=1, seconds=-1)
    except (ValueError, OverflowError):
        raise RuleError(f"The rule {rule[:80]!r} ends at {value}, which is not a date.") from None
