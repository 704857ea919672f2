"""Computes the times of a plan anew, so that there are always some ahead."""

from __future__ import annotations

from datetime import datetime
from zoneinfo import ZoneInfo

from paddock_core.errors import RuleError
from paddock_core.recurrence import HORIZON

from ...storage import action
from ..models import Care
from ..times import look_ahead


@action
def note_ahead(care: Care, now: datetime) -> None:
    """A rule from before rules were bounded, which cannot be read now, has no times and is not looked at again until
    the horizon has moved. Nobody's doing: the logbook has no line of it."""
    try:
        care.ahead, care.ahead_until = look_ahead(care.rule, care.starts_at, ZoneInfo(care.zone), now)
    except RuleError:
        care.ahead, care.ahead_until = [], now + HORIZON
    care.save(update_fields=["ahead", "ahead_until"])
