"""There is no recent backup of the server, though one is scheduled."""

from __future__ import annotations

from collections.abc import Iterator

from ...units import span
from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..observed import FleetSeen

MISSED = 2.0
"""Intervals of the schedule without a backup: one may take its time, and a server may have been off."""


def look_at_all(fleet: FleetSeen, now: float) -> Iterator[Found]:
    backups = fleet.backups
    if backups is None or backups.trouble:
        return
    since = backups.last_made_at or backups.scheduled_since
    if now - since <= MISSED * backups.interval:
        return
    newest = Evidence("The last backup.", backups.last_made_at) if backups.last_made_at else Evidence("There is none.")
    yield Found(
        f"The server has had no backup for {span(now - since)}; one is scheduled every {span(backups.interval)}.",
        since + MISSED * backups.interval,
        (newest,),
        Remedy(
            "Make a backup on the page This server. If the server does not get to it, its log says why.",
            ("journalctl -u yellow-paddock --since -2d --grep backup",),
        ),
    )


RULE = Rule("backup-old", "Backup is old", Severity.SOON, look_at_all=look_at_all)
