"""A token that a program uses is about to end."""

from __future__ import annotations

from collections.abc import Iterator

from ...trend import DAY
from ...units import span
from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..observed import FleetSeen

HORIZON_SECONDS = 14 * DAY
USED_WITHIN_SECONDS = 30 * DAY
"""A token that no program uses may end unnoticed."""


def look_at_all(fleet: FleetSeen, now: float) -> Iterator[Found]:
    for token in fleet.tokens:
        is_used = token.last_used_at > 0 and token.last_used_at > now - USED_WITHIN_SECONDS
        if is_used and now < token.ends_at < now + HORIZON_SECONDS:
            yield Found(
                f'The token "{token.name}" of {token.account} ends in {span(token.ends_at - now)}. The program that '
                "uses it is refused then.",
                token.ends_at - HORIZON_SECONDS,
                (
                    Evidence("Ends.", token.ends_at),
                    Evidence(f"Last used from {token.last_used_from or 'an unknown address'}.", token.last_used_at),
                ),
                Remedy("Make a new token with the same scope, set it where the program runs, then revoke this one."),
                about=f"{token.account}/{token.name}",
            )


RULE = Rule("token-ending", "A token ends", Severity.SOON, look_at_all=look_at_all)
