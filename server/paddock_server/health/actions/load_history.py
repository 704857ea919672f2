"""Takes over what was recorded elsewhere: links and readings of hosts before they came here, and the server's storage
before it was moved."""

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
from ...housekeeping.models import StorageSample
from ...logbook.write import write
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import requires
from ...storage import action
from .. import reevaluation
from ..models import HourOfReadings, LinkChange
from .save_readings import draw_trend

Line = Annotated[str, msgspec.Meta(max_length=300)]
Size = Annotated[int, msgspec.Meta(ge=0, lt=2**62)]


class HostHistory(msgspec.Struct):
    """``link`` has when (seconds since the epoch), state and cause; ``readings`` have ``at`` and any of the readings'
    names."""

    link: list[tuple[float, Line, Line]] = []
    readings: list[dict[str, float]] = []


class StorageHistory(msgspec.Struct):
    """What the server's data folder held, in bytes, and what its disk had free. ``at`` in seconds since the epoch."""

    at: float
    database: Size
    logs: Size
    outputs: Size
    free: Size
    total: Size


class History(msgspec.Struct):
    """By the names of the hosts, which have joined already."""

    hosts: dict[str, HostHistory] = {}
    storage: Annotated[list[StorageHistory], msgspec.Meta(max_length=20_000)] = []


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
    samples = _storage(history.storage)
    if samples:
        write(actor, "took over the history of", "server", "this server")
    reevaluation.stir_all()
    taken_over = f"Took over {links} changes of links and {hours} hours of readings of {len(history.hosts)} hosts"
    return taken_over + (f", and {samples} samples of storage." if samples else ".")


def _storage(past: list[StorageHistory]) -> int:
    """Only what is older than the server's own samples."""
    first = StorageSample.objects.values_list("at", flat=True).first()
    rows = [StorageSample(**{**msgspec.structs.asdict(one), "at": _time("storage", one.at)}) for one in past]
    older = [row for row in rows if first is None or row.at < first]
    StorageSample.objects.bulk_create(older)
    return len(older)


def _links(host: Host, past: HostHistory) -> int:
    first = LinkChange.objects.filter(host=host).order_by("at").values_list("at", flat=True).first()
    states = {state.value for state in Link}
    rows: list[LinkChange] = []
    for at, state, cause in sorted(past.link):
        if state not in states:
            raise Invalid(
                f'{host.name}: "{state[:40]}" is not a link state. Known states: {", ".join(sorted(states))}.'
            )
        moment = _time(host.name, at)
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
        HourOfReadings(host=host, at=_time(host.name, start), summary=packed(summary(np.array(several))))
        for start, several in hours.items()
    ]
    HourOfReadings.objects.bulk_create(rows, ignore_conflicts=True)
    return len(rows)


def _time(what: str, seconds: float) -> datetime:
    if not 0 < seconds <= time.time() + HOUR:
        raise Invalid(f"{what}: {seconds:g} is not a time in the past, in seconds since the epoch.")
    return datetime.fromtimestamp(seconds, UTC)
