"""The server's backup by its schedule failed."""

from __future__ import annotations

from collections.abc import Iterator

from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..observed import FleetSeen


def look_at_all(fleet: FleetSeen, now: float) -> Iterator[Found]:
    backups = fleet.backups
    if backups is None or not backups.trouble:
        return
    evidence = [Evidence(backups.trouble, backups.last_tried_at)]
    if backups.last_made_at:
        evidence.append(Evidence("The last backup that succeeded.", backups.last_made_at))
    yield Found(
        "The server's last backup failed." + ("" if backups.last_made_at else " There is no earlier one."),
        backups.failing_since,
        tuple(evidence),
        Remedy(
            "Fix the cause, then make a backup on the page This server. The server also retries within an hour.",
        ),
    )


RULE = Rule("backup-failed", "Backup failed", Severity.URGENT, look_at_all=look_at_all)
