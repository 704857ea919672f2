"""The kinds of work of the last week, and which hosts can do each."""

from __future__ import annotations

import time
from collections import Counter
from datetime import timedelta

from django.utils import timezone

from ..process.state import part
from ..toolchains.terms_input import terms_of
from ..work.fleet import cached_fleet
from ..work.models import Job

LOOK_BACK = timedelta(days=7)
MAX_KINDS = 100
MAX_JOBS = 20_000
NEW_FOR = 30.0


class _Known:
    def __init__(self) -> None:
        self.cached: tuple[float, dict[str, frozenset[str]]] | None = None


def kinds_of_work() -> dict[str, frozenset[str]]:
    """For each kind of work, by its terms, the living hosts that meet them. Those that most jobs asked for, at most
    MAX_KINDS; jobs that ask for one host by name are not a kind. Read at most every NEW_FOR seconds."""
    known = part(_Known)
    if known.cached is None or time.monotonic() - known.cached[0] > NEW_FOR:
        known.cached = time.monotonic(), _read()
    return known.cached[1]


def _read() -> dict[str, frozenset[str]]:
    recent = Job.objects.filter(is_internal=False, submitted_at__gte=timezone.now() - LOOK_BACK)
    counted = Counter(tuple(terms) for terms in recent.order_by("-id").values_list("terms", flat=True)[:MAX_JOBS])
    found = {}
    with cached_fleet() as index:
        for texts, _ in counted.most_common(MAX_KINDS):
            if not texts or any(text.startswith("host ") for text in texts):
                continue
            bits = index.state("admitted")
            for term in terms_of(texts):
                bits = bits & index.holds(term)
            found["; ".join(texts)] = frozenset(host.name for host in index.hosts_in(bits))
    return found
