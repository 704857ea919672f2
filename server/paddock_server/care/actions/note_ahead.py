"""Computes the times of a plan anew, so that there are always some ahead."""

from __future__ import annotations

from datetime import datetime

from ...errors import Invalid
from ..models import Care
from ..recurrence import HORIZON
from ..times import look_ahead


def note_ahead(care: Care, now: datetime) -> None:
    """A rule from before rules were bounded, which cannot be read now, has no times and is not looked at again until
    the horizon has moved. Nobody's doing: the logbook has no line of it."""
    try:
        look_ahead(care, now)
    except Invalid:
        care.ahead, care.ahead_until = [], now + HORIZON
    care.save(update_fields=["ahead", "ahead_until"])
