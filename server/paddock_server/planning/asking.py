"""Makes the question of a rehearsal out of the recorded past and the fleet."""

from __future__ import annotations

import hashlib
from dataclasses import asdict, replace
from datetime import timedelta
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np

from paddock_core.errors import CoreError
from paddock_core.planning.changes import Change, change_of
from paddock_core.planning.host_changes import DailyHours
from paddock_core.planning.kit_change import MeetKit
from paddock_core.planning.more_runs import ChangeError
from paddock_core.planning.past import Past
from paddock_core.planning.question import Question
from paddock_core.planning.rehearsal import Closure
from paddock_core.planning.sizing import weekly
from paddock_core.planning.sleep_change import SleepWhenIdle
from paddock_core.planning.window_change import MoveWindow
from paddock_core.planning.work_changes import ChangeTerm
from paddock_core.terms import Term

from ..hosts.models import Host
from ..maintenance.models import MaintenanceTime, MaintenanceWindow
from ..toolchains.models import Kit
from ..toolchains.terms_input import terms_of
from .fleet_then import departed, fleet_setting
from .models import Rehearsal
from .packing import packed
from .past_store import recorded_past

TREND = timedelta(weeks=12)

Terms = dict[tuple[str, ...], tuple[Term, ...]]


def question_of(rehearsal: Rehearsal) -> tuple[Question, dict[str, Any], str]:
    """The question, what the recorded past leaves open (for the reader), and the hash of all that goes in. Raises
    CoreError for a change that is not understood."""
    recorded = recorded_past(rehearsal.since, rehearsal.until)
    past, terms, unreadable = _readable(recorded.past)
    changes = changes_of(rehearsal)
    for change in changes:
        if isinstance(change, ChangeTerm):
            texts = [change.becomes] if change.becomes else []
            # A job with another term is read line by line.
            for text in {*texts, *(term for ask in past.asks for term in ask.terms)}:
                terms[(text,)] = terms_of((text,))
    setting = fleet_setting(past, rehearsal.since, rehearsal.until)
    question = Question(
        setting=setting,
        changes=changes,
        terms=terms,
        since=rehearsal.since.timestamp(),
        until=rehearsal.until.timestamp(),
        seed=rehearsal.seed,
        zone=rehearsal.zone,
        target=rehearsal.target,
        pipelines=tuple(rehearsal.pipelines),
        like=rehearsal.like,
        weeks=_weeks(rehearsal),
    )
    open_points = {
        "cancelled": recorded.cancelled,
        "left_out": recorded.left_out,
        "unreadable": unreadable,
        "departed": departed(past, setting.hosts),
    }
    return question, open_points, _hash(question, past)


def changes_of(rehearsal: Rehearsal) -> tuple[Change, ...]:
    """The changes, with what this server knows of kits and windows. Raises ChangeError."""
    return tuple(_resolved(change_of(one), rehearsal) for one in rehearsal.changes)


def _resolved(change: Change, rehearsal: Rehearsal) -> Change:
    if isinstance(change, DailyHours):
        return replace(change, zone=ZoneInfo(rehearsal.zone))
    if isinstance(change, SleepWhenIdle):
        rows = Host.objects.filter(name__in=change.hosts).values_list("name", "wake_seconds")
        return replace(change, zone=ZoneInfo(rehearsal.zone), wakes=tuple(rows))
    if isinstance(change, MeetKit):
        kit = Kit.objects.filter(name=change.kit).first()
        if kit is None:
            raise ChangeError(f"There is no kit {change.kit[:63]}.")
        return replace(change, terms=terms_of(tuple(kit.terms)))
    if isinstance(change, MoveWindow):
        return replace(change, times=_times_of(change.window, rehearsal))
    return change


def _times_of(window: str, rehearsal: Rehearsal) -> tuple[Closure, ...]:
    """When the windows of this name held which hosts."""
    windows = MaintenanceWindow.objects.filter(what=window)
    if not windows:
        raise ChangeError(f"There is no maintenance window {window[:200]}.")
    times = list(
        MaintenanceTime.objects.filter(
            window__in=windows, ends_at__gt=rehearsal.since, starts_at__lt=rehearsal.until
        ).order_by("starts_at", "pk")
    )
    names = dict(Host.objects.filter(pk__in={pk for one in times for pk in one.held}).values_list("pk", "name"))
    return tuple(
        Closure(names[pk], one.starts_at.timestamp(), one.ends_at.timestamp())
        for one in times
        for pk in one.held
        if pk in names
    )


def _readable(past: Past) -> tuple[Past, Terms, dict[str, int]]:
    """The runs whose terms can be read today, those terms, and how many runs the others are, by why."""
    terms: Terms = {}
    bad: dict[int, str] = {}
    for number in np.unique(past.ask).tolist():
        ask = past.asks[number]
        try:
            for texts in (ask.terms, ask.prefers):
                terms[texts] = terms_of(texts)
        except CoreError as error:
            bad[number] = f"`{', '.join(ask.terms)}`: {error}"
    if not bad:
        return past, terms, {}
    counts = {why: int((past.ask == number).sum()) for number, why in bad.items()}
    return past.where(~np.isin(past.ask, list(bad))), terms, counts


def _weeks(rehearsal: Rehearsal) -> tuple[float, ...]:
    """The slot-hours of its pipelines by week, for their trend."""
    if not rehearsal.target:
        return ()
    past = recorded_past(rehearsal.until - TREND, rehearsal.until).past
    chosen = [at for at, name in enumerate(past.pipelines) if name in rehearsal.pipelines]
    mine = past.where(np.isin(past.pipeline, chosen))
    return weekly(mine.sent, (mine.ended - mine.placed) * mine.slots / 3600, rehearsal.until.timestamp())


def _hash(question: Question, past: Past) -> str:
    digest = hashlib.sha256(packed(past))
    setting = question.setting
    for part in (
        [asdict(host) for host in setting.hosts], sorted(setting.fences.items()), setting.closures,
        sorted(setting.speeds.items()), question.changes, question.since, question.until, question.seed,
        question.zone, question.target, question.pipelines, question.like, question.weeks,
    ):  # fmt: skip
        digest.update(_plain(part).encode())
    return digest.hexdigest()


def _plain(part: Any) -> str:
    """Text that is the same in every process: sets have no order of their own."""
    if isinstance(part, dict):
        return "{" + ",".join(f"{_plain(key)}:{_plain(value)}" for key, value in sorted(part.items())) + "}"
    if isinstance(part, set | frozenset):
        return "{" + ",".join(sorted(map(_plain, part))) + "}"
    if isinstance(part, list | tuple):
        return "[" + ",".join(map(_plain, part)) + "]"
    return repr(part)
