"""What changed the fleet in some weeks, for the axis of waits: its hosts, their tools, and the rules of paddocks."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from django.db.models import Q

from paddock_core.link_state import Link
from paddock_core.surveys import TOOL

from ..health.models import LinkChange
from ..hosts.models import Host
from ..logbook.models import Entry
from ..toolchains.models import SurveyChange

MAX_OF_EACH = 60
LOST_LONG = timedelta(minutes=10)
"""A host that is back sooner moves no wait that one sees over weeks."""
_VERBS = ("admitted", "retired", "held", "drained", "resumed", "undid the retirement of")


@dataclass(frozen=True)
class FleetChange:
    """Something that changed the fleet."""

    at: datetime
    what: str


def fleet_changes(hosts: Sequence[Host], since: datetime, until: datetime) -> list[FleetChange]:
    """Oldest first; of each source the latest MAX_OF_EACH."""
    found = [*_by_people(hosts, since, until), *_losses(hosts, since, until), *_tools(hosts, since, until)]
    return sorted(found, key=lambda change: change.at)


def _by_people(hosts: Sequence[Host], since: datetime, until: datetime) -> Iterable[FleetChange]:
    of_hosts = Q(noun="host", verb__in=_VERBS, thing__in=[host.name for host in hosts])
    of_paddocks = Q(noun="paddock", verb="changed", thing__in={host.paddock.name for host in hosts})
    for entry in Entry.objects.filter(of_hosts | of_paddocks, at__gte=since, at__lte=until)[:MAX_OF_EACH]:
        rules = f"rules of {entry.thing} changed"
        yield FleetChange(entry.at, f"{entry.thing} {entry.verb}" if entry.noun == "host" else rules)


def _losses(hosts: Sequence[Host], since: datetime, until: datetime) -> Iterable[FleetChange]:
    """Hosts that were lost for longer than LOST_LONG, or are lost still."""
    names = {host.pk: host.name for host in hosts}
    rows = LinkChange.objects.filter(host__in=list(names), at__gte=since, at__lte=until).order_by("at", "id")
    lost: dict[int, datetime] = {}
    found = []
    for host, at, state in rows.values_list("host", "at", "state"):
        if state == Link.LOST.value:
            lost.setdefault(host, at)
        elif (began := lost.pop(host, None)) and at - began >= LOST_LONG:
            found.append(FleetChange(began, f"{names[host]} lost for {round((at - began).total_seconds() / 60)} min"))
    found += [FleetChange(began, f"{names[host]} lost") for host, began in lost.items() if until - began >= LOST_LONG]
    return sorted(found, key=lambda change: change.at)[-MAX_OF_EACH:]


def _tools(hosts: Sequence[Host], since: datetime, until: datetime) -> Iterable[FleetChange]:
    """Tools that came, went or changed, one line for a tool and a day: a chore changes it on many hosts."""
    rows = SurveyChange.objects.filter(kind=TOOL, host__in=[host.pk for host in hosts], at__gte=since, at__lte=until)
    counts: Counter[tuple[str, str]] = Counter()
    first: dict[tuple[str, str], tuple[datetime, str]] = {}
    for name, host, at, what in rows.exclude(not_before=None).values_list("name", "host__name", "at", "what"):
        key = (f"{name} {what}", at.date().isoformat())
        counts[key] += 1
        if key not in first or at < first[key][0]:
            first[key] = (at, host)
    found = []
    for key, (at, host) in first.items():
        where = host if counts[key] == 1 else f"{counts[key]} hosts"
        found.append(FleetChange(at, f"{key[0]} on {where}"))
    return sorted(found, key=lambda change: change.at)[-MAX_OF_EACH:]
