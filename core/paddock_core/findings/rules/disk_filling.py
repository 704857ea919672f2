"""The disk of the work folder fills up, surely enough to say when it will be full."""

from __future__ import annotations

from collections.abc import Iterator

from ...durations import size, span
from ...readiness import LEAST_DISK
from ...trend import CONFIDENCE, DAY
from ..commands import biggest_folders
from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..observed import HostSeen

WITHIN = 14 * DAY
"""Earlier than this nobody needs to know; later it is too late to order a disk."""
AT_MOST = 45 * DAY
"""Where even the late end of the interval is not nearer than this, the trend is too unsure to be told."""


def look(host: HostSeen, now: float) -> Iterator[Found]:
    trend = host.disk_trend
    if trend is None or host.disk_free < LEAST_DISK:
        return
    gone = now - trend.at
    soon, late = (max(0.0, seconds - gone) for seconds in trend.empty_between())
    left = max(0.0, trend.empty_in() - gone)
    if left > WITHIN or late > AT_MOST:
        return
    yield Found(
        f"The disk of its work folder will be full in about {span(left)} (between {span(soon)} and {span(late)}), "
        "if it "
        f"goes on as in the last {span(trend.at - trend.since)}.",
        trend.since,
        (
            Evidence(f"{size(trend.level)} free of {size(host.disk_total)}.", trend.at),
            Evidence(
                f"It loses {size(-trend.slope * DAY)} a day ({size(-trend.slope_high * DAY)} to "
                f"{size(-trend.slope_low * DAY)}, {CONFIDENCE:.0%} interval of the Theil-Sen slope)."
            ),
        ),
        Remedy("Look what grows, and clear it.", (biggest_folders(host.family, host.work_folder),)),
        severity=Severity.URGENT if left < 1.5 * DAY else None,
    )


RULE = Rule("disk-filling", "The disk fills up", Severity.SOON, look=look)
