"""The order of waiting jobs: by priority, time waited, and the recent usage of their pipeline.

    score = 600 · priority + waited - use - queued            (all in seconds)

``waited`` is since the job was sent. ``use`` is what its pipeline had of the fleet, as the time in which its fair share
would have done the same: the slot-seconds of its attempts, each halved for every four hours since, times the number of
pipelines, over the number of slots. ``queued`` is the same for what it may be expected to use by its jobs that wait in
front of this one. The highest score goes first; of equals, the older job.

Why nothing starves. Of two jobs, ``waited`` grows alike, so that only priority, use and queue keep the later one in
front. Priorities differ by at most 200; ``use`` is never more than pipelines · half-life / ln 2, since a pipeline that
had every slot for ever would have just that; and ``queued`` counts only jobs in front in its own pipeline, which by the
same reasoning were all sent within ``600 · 200`` seconds after it. So no job that is sent later than
``overtaking_ends`` goes in front of a job, whatever happens: the jobs in front of it are a finite set from then on. A
round gives a slot that suits a job either to it or to a job in front of it (see ``matching``), so each such slot that
comes free makes that set smaller, and the job starts at the latest when as many have come free as were in front of it.
"""

from __future__ import annotations

import math
from collections.abc import Iterable

SECONDS_A_PRIORITY = 600.0
HALF_LIFE = 4 * 3600.0
EXPECTED_SECONDS = 600.0
"""What a job is expected to take, where nothing is known."""
PRIORITIES = 200
"""The difference between the highest and the lowest priority."""


def score(own: float, worth: float, use: float, queued: float) -> float:
    """A job's score in seconds. ``own`` is ``600 · priority + waited``; ``worth`` is the number of pipelines per slot
    of the fleet; ``use`` and ``queued`` are of its pipeline, in slot-seconds."""
    return own - worth * (use + queued)


def decayed_use(ran: Iterable[tuple[float, float, int]], now: float) -> float:
    """Slot-seconds, each halved for every half-life since: ``ran`` are start, end and slots of attempts, in seconds
    since the epoch; an end in the future counts as now.

    The integral of ``slots · 2^(-(now - t) / HALF_LIFE)`` from start to end.
    """
    rate = math.log(2) / HALF_LIFE
    total = 0.0
    for start, end, slots in ran:
        end = min(end, now)
        if end > start:
            total += slots * (math.exp(-rate * (now - end)) - math.exp(-rate * (now - start))) / rate
    return total


def overtaking_ends(priority: int, pipelines: int, queued: float = 0.0) -> float:
    """After how many seconds no job that is sent then goes in front of one of this priority.

    ``pipelines`` is how many there are; ``queued`` is what those of its own pipeline in front of it are expected to
    use, in seconds of their fair share.
    """
    highest = PRIORITIES // 2
    return SECONDS_A_PRIORITY * (highest - priority) + pipelines * HALF_LIFE / math.log(2) + queued
