"""The disk of the server's data folder fills up."""

from __future__ import annotations

from collections.abc import Iterator

from ...trend import DAY
from ...units import disk_size, span
from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..observed import FleetSeen
from .disk_filling import HORIZON_SECONDS, LATEST_SECONDS


def look_at_all(fleet: FleetSeen, now: float) -> Iterator[Found]:
    trend = fleet.server_disk
    if trend is None:
        return
    left, _, late = trend.left_at(now)
    if left > HORIZON_SECONDS or late > LATEST_SECONDS:
        return
    yield Found(
        f"The disk of the server's data folder will be full in about {span(left)}. The server then records nothing.",
        trend.since,
        (
            Evidence(f"{disk_size(trend.level)} free.", trend.at),
            Evidence(f"Change per day: {disk_size(-trend.slope * DAY)} less."),
        ),
        Remedy("Shorten the retention on the page This server, or give the data folder a larger disk."),
        severity=Severity.URGENT if left < 1.5 * DAY else None,
    )


RULE = Rule("server-disk-filling", "Disk of the server filling up", Severity.SOON, look_at_all=look_at_all)
