"""Takes over what another monitor has recorded of hosts: their links and readings before they came here."""

from __future__ import annotations

import time
from collections import defaultdict
from datetime import UTC, datetime
from typing import Annotated, Any

import msgspec
import numpy as np

from paddock_core.link_state import Link
from paddock_core.vitals import HOUR, cleaned, packed, summary

from ...errors import Invalid
from ...hosts.models import LIVING, Host
from ...logbook.write import write
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import requires
from ...storage import action
from .. import reevaluation
from ..models import HourOfReadings, LinkChange
from .save_readings import draw_trend

Line = Annotated[str, msgspec.Meta(max_length=300)]


class HostHistory(msgspec.Struct):
    """``link`` has when (seconds since the epoch), state and cause; ``readings`` have ``at`` and any of the readings'
    names."""

    link: list[tuple[float, Line, Line]] = []
    readings: list[dict[str, float]] = []


class History(msgspec.Struct):
    """By the names of the hosts, which have joined already."""

    hosts: dict[str, HostHistory]


@action
@requires(Role.ADMINISTRATOR, "Taking over a history")
def load_history(actor: Actor, data: bytes) -> str:
    """Returns what was taken over, in a sentence. Raises Invalid for a file that cannot be read, or an unknown host;
    nothing is taken over then. What is known already stays as it is."""
    try:
        history = msgspec.json.decode(data, type=History)
    except msgspec.DecodeError as error:
        raise Invalid(f"The file is not a history: {error}.") from None
    known = {host.name: host for host in Host.objects.filter(standing__in=LIVING).select_related("paddock")}
    if unknown := sorted(set(history.hosts) - set(known)):
        raise Invalid(f"No host is called {unknown[0]}. Load a history only for hosts that have joined.")
    links = hours = 0
    for name, past in history.hosts.items():
        links += _links(known[name], past)
        hours += _readings(known[name], past)
        draw_trend(known[name].pk, time.time())
        write(actor, "took over the history of", "host", name, known[name].paddock.name)
    reevaluation.stir_all()
    return f"Took over {links} changes of links and {hours} hours of readings of {len(history.hosts)} hosts."


def _links(host: Host, past: HostHistory) -> int:
    first = LinkChange.objects.filter(host=host).order_by("at").values_list("at", flat=True).first()
    states = {state.value for state in Link}
    rows: list[LinkChange] = []
    for at, state, cause in sorted(past.link):
        if state not in states:
            raise Invalid(
                f'{host.name}: "{state[:40]}" is not a link state. Known states: {", ".join(sorted(states))}.'
            )
        moment = _time(host, at)
        if first is None or moment < first:
            rows.append(LinkChange(host=host, at=moment, state=state, cause=cause))
    later: list[dict[str, Any]] = [dict(row) for row in LinkChange.objects.filter(host=host).order_by("id").values()]
    # Changes are read in the order in which they were written: what is older goes in front.
    LinkChange.objects.filter(host=host).delete()
    LinkChange.objects.bulk_create([*rows, *(LinkChange(**{**row, "id": None}) for row in later)])
    return len(rows)


def _readings(host: Host, past: HostHistory) -> int:
    hours: dict[float, list[tuple[float, ...]]] = defaultdict(list)
    for reading in past.readings:
        if "at" not in reading:
            raise Invalid(f"{host.name}: a reading has no time (`at`).")
        hours[reading["at"] // HOUR * HOUR].append(cleaned({**reading}).row)
    rows = [
        HourOfReadings(host=host, at=_time(host, start), summary=packed(summary(np.array(several))))
        for start, several in hours.items()
    ]
    HourOfReadings.objects.bulk_create(rows, ignore_conflicts=True)
    return len(rows)


def _time(host: Host, seconds: float) -> datetime:
    if not 0 < seconds <= time.time() + HOUR:
        raise Invalid(f"{host.name}: {seconds:g} is not a time in the past, in seconds since the epoch.")
    return datetime.fromtimestamp(seconds, UTC)
