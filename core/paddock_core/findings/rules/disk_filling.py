"""The disk of the work folder fills up, surely enough to say when it will be full."""

from __future__ import annotations

from collections.abc import Iterator

from ...readiness import LEAST_DISK
from ...trend import CONFIDENCE, DAY
from ...units import disk_size, span
from ..commands import biggest_folders
from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..observed import HostSeen

HORIZON_SECONDS = 14 * DAY
"""Enough time to order a disk."""
LATEST_SECONDS = 45 * DAY
"""Where even the late end of the interval is not nearer than this, the trend is too uncertain to report."""


def look(host: HostSeen, now: float) -> Iterator[Found]:
    trend = host.disk_trend
    if trend is None or host.disk_free < LEAST_DISK:
        return
    left, soon, late = trend.left_at(now)
    if left > HORIZON_SECONDS or late > LATEST_SECONDS:
        return
    yield Found(
        f"The disk of its work folder will be full in about {span(left)}{_between(soon, late)}, at "
        f"the rate of the last {span(trend.at - trend.since)}.",
        trend.since,
        (
            Evidence(f"{disk_size(trend.level)} free of {disk_size(host.disk_total)}.", trend.at),
            Evidence(
                f"Change per day: {disk_size(-trend.slope * DAY)} less ({disk_size(-trend.slope_high * DAY)} to "
                f"{disk_size(-trend.slope_low * DAY)}, {CONFIDENCE:.0%} interval of the Theil-Sen slope)."
            ),
        ),
        Remedy("Find what grows and remove it.", (biggest_folders(host.family, host.work_folder),)),
        severity=Severity.URGENT if left < 1.5 * DAY else None,
    )


def _between(soon: float, late: float) -> str:
    """The interval of the forecast, left out if both ends read alike."""
    return f" (between {span(soon)} and {span(late)})" if span(soon) != span(late) else ""


RULE = Rule("disk-filling", "Disk filling up", Severity.SOON, look=look)
