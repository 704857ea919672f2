"""Which logs are to be packed, and that they are."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta

from ...storage import action
from ...work.models import Attempt

PACKED_AFTER = timedelta(minutes=10)
"""Until then people follow a log to its end, and an agent that was away may have more of it."""
AT_A_TIME = 200


def logs_to_pack(now: datetime) -> list[Attempt]:
    """Of attempts that are over: the oldest, at most AT_A_TIME."""
    ended = Attempt.objects.filter(packed_at=None, ended_at__lt=now - PACKED_AFTER)
    return list(ended.only("job_id", "number", "identity").order_by("ended_at")[:AT_A_TIME])


@action
def note_packed(attempts: Sequence[Attempt], now: datetime) -> None:
    """They are not checked again. No person does this, so the logbook has no line for it."""
    Attempt.objects.filter(pk__in=[one.pk for one in attempts]).update(packed_at=now)
