"""Computes the next times of a rule, so that there are always some ahead."""

from __future__ import annotations

from datetime import datetime
from zoneinfo import ZoneInfo

from paddock_core.errors import RuleError
from paddock_core.recurrence import HORIZON

from ...storage import action
from ..models import MaintenanceWindow
from ..times import look_ahead


@action
def extend_times(window: MaintenanceWindow, now: datetime) -> None:
    """A rule from before rules were bounded, which cannot be read now, has no times and is not looked at again until
    the horizon has moved. No person does this, so the logbook has no line for it."""
    try:
        window.ahead, window.ahead_until = look_ahead(window.rule, window.starts_at, ZoneInfo(window.zone), now)
    except RuleError:
        window.ahead, window.ahead_until = [], now + HORIZON
    window.save(update_fields=["ahead", "ahead_until"])
