"""Recent usage of the fleet per pipeline, the lengths of its jobs, and the hosts where its folders are warm.

Read from the attempts at most every half minute: none of it has to be newer.
"""

from __future__ import annotations

import threading
import time
from collections import defaultdict
from dataclasses import dataclass, field
from datetime import timedelta

from django.db.models import Q
from django.utils import timezone

from paddock_core.dispatch import EXPECTED_SECONDS, HALF_LIFE, decayed_use

from ..process.state import part
from .models import Attempt

NEW_FOR = 30.0
LOOK_BACK = timedelta(seconds=10 * HALF_LIFE)
WARM_FOR = timedelta(hours=24)
MAX_WARM = 8
"""Hosts on which a pipeline's work folder counts as warm: the last ones that it worked on."""


@dataclass
class RecentUsage:
    """``use`` in decayed slot-seconds by pipeline; ``seconds`` by pipeline and job; ``warm`` hosts by pipeline."""

    use: dict[str, float] = field(default_factory=dict)
    seconds: dict[tuple[str, str], float] = field(default_factory=dict)
    warm: dict[str, list[str]] = field(default_factory=dict)

    def expected(self, pipeline: str, name: str) -> float:
        """How long a job may be expected to take, in seconds."""
        return self.seconds.get((pipeline, name), EXPECTED_SECONDS)


class _Known:
    def __init__(self) -> None:
        self.lock = threading.Lock()
        self.cached: tuple[float, RecentUsage] | None = None


def recent_usage() -> RecentUsage:
    """Safe from every thread."""
    known = part(_Known)
    with known.lock:
        if known.cached is None or time.monotonic() - known.cached[0] > NEW_FOR:
            known.cached = time.monotonic(), _read()
        return known.cached[1]


def forget() -> None:
    """The next call reads again."""
    known = part(_Known)
    with known.lock:
        known.cached = None


def _read() -> RecentUsage:
    now = timezone.now()
    rows = (
        Attempt.objects.filter(started_at__isnull=False)
        .filter(Q(ended_at=None) | Q(ended_at__gt=now - LOOK_BACK))
        .order_by("-id")
        .values_list("job__pipeline", "job__name", "job__slots", "host__name", "started_at", "ended_at", "state")
    )
    ran: dict[str, list[tuple[float, float, int]]] = defaultdict(list)
    took: dict[tuple[str, str], list[float]] = defaultdict(list)
    warm: dict[str, dict[str, None]] = defaultdict(dict)
    for pipeline, name, slots, host, started, ended, state in rows[:50_000]:
        assert started
        ran[pipeline].append((started.timestamp(), (ended or now).timestamp(), slots))
        if ended and state == "passed" and len(took[pipeline, name]) < 20:
            took[pipeline, name].append((ended - started).total_seconds())
        if (ended or now) > now - WARM_FOR and len(warm[pipeline]) < MAX_WARM:
            warm[pipeline][host] = None
    return RecentUsage(
        {pipeline: decayed_use(one, now.timestamp()) for pipeline, one in ran.items()},
        {key: sum(times) / len(times) for key, times in took.items() if times},
        {pipeline: list(hosts) for pipeline, hosts in warm.items()},
    )
