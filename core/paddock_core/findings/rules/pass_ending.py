"""An entry pass that is in use runs out."""

from __future__ import annotations

from collections.abc import Iterator

from ...trend import DAY
from ...units import span
from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..observed import FleetSeen

HORIZON_SECONDS = 3 * DAY
MANY_USES = 5
"""Passes for a few machines are meant to end; one that goes into an image or a script is missed."""


def look_at_all(fleet: FleetSeen, now: float) -> Iterator[Found]:
    for one in fleet.passes:
        if now < one.ends_at < now + HORIZON_SECONDS and one.was_used and one.uses_left >= MANY_USES:
            yield Found(
                f'The pass "{one.name}" expires in {span(one.ends_at - now)} with {one.uses_left} uses left. '
                "Machines that join with it unattended are refused then.",
                one.ends_at - HORIZON_SECONDS,
                (Evidence("Expires.", one.ends_at), Evidence(f"{one.uses_left} uses are left.")),
                Remedy("Replace it, and use the new one where the old one is configured."),
                about=f"{one.paddock}/{one.name}",
                paddock=one.paddock,
            )


RULE = Rule("pass-ending", "A pass expires", Severity.NOTE, look_at_all=look_at_all)
