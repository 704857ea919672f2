"""Takes in a past that was recorded elsewhere, so that planning has something to go by from the first day."""

from __future__ import annotations

import math
import re
from collections import defaultdict
from collections.abc import Mapping, Sequence
from datetime import UTC, date, datetime
from typing import Any

from paddock_core.errors import CoreError
from paddock_core.planning.past import OUTCOMES, Ask, Run, joined, past_of
from paddock_core.terms import MAX_TERM_LENGTH, MAX_TERMS

from ...errors import Invalid
from ...logbook.write import write
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import requires
from ...storage import action
from ...toolchains.terms_input import asked_of
from ..models import PastClosure, PastDay
from ..packing import packed, unpacked

MAX_RECORDS = 5_000
MAX_RUNS_A_DAY = 200_000
SOURCE = re.compile(r"[a-z0-9][a-z0-9._-]{0,59}")
EARLIEST = datetime(2000, 1, 1, tzinfo=UTC).timestamp()


@action
@requires(Role.ADMINISTRATOR, "Importing a recorded past")
def import_past(actor: Actor, source: str, records: Sequence[Mapping[str, Any]]) -> dict[str, int]:
    """Adds records to the past of a source: runs, and times during which a host took no jobs (``closed``). A job that
    is there already is left as it is, so that a file can be sent again. Raises Invalid, with the number of the record,
    and then nothing of the batch is added."""
    if not SOURCE.fullmatch(source):
        raise Invalid("The source is 1 to 60 characters: lower-case letters, digits, dots, dashes, underscores.")
    if not 0 < len(records) <= MAX_RECORDS:
        raise Invalid(f"Send between 1 and {MAX_RECORDS} records at a time.")
    runs, closed = [], []
    for number, record in enumerate(records, start=1):
        try:
            if "closed" in record:
                closed.append(_closure(source, record))
            else:
                runs.append(_run(record))
        except (CoreError, Invalid, ValueError, TypeError, KeyError) as error:
            missing = f"{error} is missing" if isinstance(error, KeyError) else str(error)
            raise Invalid(f"Record {number}: {missing}.".replace("..", ".")) from None
    for closure in closed:
        PastClosure.objects.get_or_create(**closure)
    days: dict[date, list[Run]] = defaultdict(list)
    for run in runs:
        days[datetime.fromtimestamp(run.ended, UTC).date()].append(run)
    added = sum(_add(source, day, some) for day, some in days.items())
    write(actor, "imported a past", "planning", source, details={"runs": added, "closed": len(closed)})
    return {"added": added, "known": len(runs) - added, "closed": len(closed)}


def _add(source: str, day: date, runs: Sequence[Run]) -> int:
    row = PastDay.objects.filter(source=source, day=day).first() or PastDay(source=source, day=day, runs=0)
    before = unpacked(bytes(row.data)) if row.runs else None
    known = set(zip(before.job.tolist(), before.placed.tolist(), strict=True)) if before is not None else set()
    past, bad = past_of(run for run in runs if (run.job, run.placed) not in known)
    if bad:
        raise Invalid(f"{day}: {bad.sentence}")
    whole = joined([before, past]) if before is not None else past
    if len(whole) > MAX_RUNS_A_DAY:
        raise Invalid(f"{day}: more than {MAX_RUNS_A_DAY} runs on one day.")
    row.runs, row.data = len(whole), packed(whole)
    row.save()
    return len(past)


def _run(record: Mapping[str, Any]) -> Run:
    sent = _time(record, "sent")
    started, ended = _time(record, "started"), _time(record, "ended")
    placed = _time(record, "placed") if "placed" in record else started
    ask = asked_of(tuple(_texts(record, "terms", MAX_TERMS, MAX_TERM_LENGTH)))
    prefers = asked_of(tuple(f"prefer {one}" for one in _texts(record, "prefers", MAX_TERMS, MAX_TERM_LENGTH))).prefers
    outcome = str(record.get("outcome", "passed"))
    if outcome not in OUTCOMES:
        raise Invalid(f'the outcome "{outcome[:20]}" is none of {", ".join(OUTCOMES)}')
    return Run(
        job=_whole(record, "job", 0, 10**12 - 1),
        sent=sent,
        released=_time(record, "released") if "released" in record else sent,
        placed=placed,
        started=started,
        ended=ended,
        pipeline=_text(record, "pipeline", 100),
        name=_text(record, "name", 100),
        host=_text(record, "host", 63),
        paddock=_text(record, "paddock", 63, ""),
        system=_text(record, "system", 40, ""),
        person=_text(record, "person", 200, ""),
        ask=Ask(
            tuple(str(term) for term in ask.terms),
            tuple(str(term) for term in prefers),
            _whole(record, "slots", 1, 256, 1),
        ),
        priority=_whole(record, "priority", -100, 100, 0),
        outcome=outcome,
        after=tuple(_whole({"after": one}, "after", 0, 10**12 - 1) for one in _list(record, "after", 200)),
    )


def _closure(source: str, record: Mapping[str, Any]) -> dict[str, Any]:
    since, until = _time(record, "since"), _time(record, "until")
    if until <= since:
        raise Invalid("it ends before it begins")
    host = _text(record, "closed", 63)
    return {
        "source": source, "host": host, "since": datetime.fromtimestamp(since, UTC),
        "until": datetime.fromtimestamp(until, UTC),
    }  # fmt: skip


def _time(record: Mapping[str, Any], name: str) -> float:
    """Seconds since the epoch, or a date and time with its zone as ISO 8601 writes it."""
    value = record[name]
    if isinstance(value, str):
        read = datetime.fromisoformat(value)
        if read.tzinfo is None:
            raise Invalid(f"{name} has no time zone: write it as 2026-11-02T09:30:00Z")
        value = read.timestamp()
    if isinstance(value, bool) or not isinstance(value, int | float) or not math.isfinite(value):
        raise Invalid(f"{name} is not a time")
    latest = datetime.now(UTC).timestamp() + 60
    if not EARLIEST <= value <= latest:
        raise Invalid(f"{name} is not between the year 2000 and now")
    return float(value)


def _text(record: Mapping[str, Any], name: str, longest: int, default: str | None = None) -> str:
    value = record[name] if default is None else record.get(name, default)
    if not isinstance(value, str) or len(value) > longest or (default is None and not value.strip()):
        raise Invalid(f"{name} is not a text of at most {longest} characters")
    return value


def _whole(record: Mapping[str, Any], name: str, low: int, high: int, default: int | None = None) -> int:
    value = record[name] if default is None else record.get(name, default)
    if isinstance(value, bool) or not isinstance(value, int) or not low <= value <= high:
        raise Invalid(f"{name} is not a whole number between {low} and {high}")
    return value


def _list(record: Mapping[str, Any], name: str, most: int) -> Sequence[Any]:
    value = record.get(name, [])
    if not isinstance(value, list) or len(value) > most:
        raise Invalid(f"{name} is not a list of at most {most}")
    return value


def _texts(record: Mapping[str, Any], name: str, most: int, longest: int) -> list[str]:
    return [_text({name: one}, name, longest) for one in _list(record, name, most)]
