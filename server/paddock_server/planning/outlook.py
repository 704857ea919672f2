"""The server's own question, once a day: which work grows, and when does it outgrow the fleet."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

import numpy as np
from django.utils import timezone

from paddock_core.planning.kinds import KindOfWork, kinds_of_work
from paddock_core.planning.past import Past
from paddock_core.planning.sizing import Growth, growth, weekly

from ..toolchains.terms_input import terms_of
from ..work.fleet import fleet
from .actions.save_costs import plan_settings
from .past_store import recorded_past, span_of_past

LOOK_BACK = timedelta(weeks=12)
PLAYED = timedelta(weeks=4)
MIN_RATE = 0.01
"""Growth per week below which nothing is foretold: of many kinds of work, one seems to grow a little by chance."""


@dataclass(frozen=True)
class Growing:
    """A kind of work with its trend; None where nothing is known of it."""

    kind: KindOfWork
    growth: Growth | None


def growing_kinds(past: Past, until: float) -> list[Growing]:
    """The kinds of work, each with how it grows."""
    hosts = [host for host in fleet() if host.is_admitted]
    hours = (past.ended - past.placed) * past.slots / 3600
    found = []
    for kind in kinds_of_work(past, hosts, terms_of):
        mine = np.isin(past.ask, kind.asks)
        found.append(Growing(kind, growth(weekly(past.sent[mine], hours[mine], until))))
    return found


def outlook_fields() -> dict[str, Any] | None:
    """The fields of the next outlook; None where less than four weeks are recorded, or nothing surely grows."""
    span = span_of_past()
    if span is None or span[1] - span[0] < PLAYED:
        return None
    until = span[1]
    past = recorded_past(until - LOOK_BACK, until).past
    kinds = growing_kinds(past, until.timestamp())
    grown = [one for one in kinds if one.kind.hosts and _surely_grows(one.growth)]
    if not grown:
        return None
    most = max(grown, key=lambda one: (one.growth.rate if one.growth else 0) * one.kind.slot_hours_per_week)
    mine = np.isin(past.ask, most.kind.asks)
    ran = Counter({past.hosts[at]: int(number) for at, number in enumerate(np.bincount(past.host[mine]))})
    like = next((name for name, _ in ran.most_common() if name in most.kind.hosts), most.kind.hosts[0])
    return {
        "name": f"Outlook of {timezone.now():%d %b %Y}: {most.kind.name}"[:100],
        "since": until - PLAYED,
        "until": until,
        "target": plan_settings().target,
        "pipelines": list(most.kind.pipelines),
        "like": like,
    }


def _surely_grows(found: Growth | None) -> bool:
    return found is not None and found.low > 0 and found.rate >= MIN_RATE
