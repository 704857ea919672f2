"""Repeated wrong passwords, from one address or for one person."""

from __future__ import annotations

from collections.abc import Iterator

from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..observed import FleetSeen

CODE = "passwords-guessed"


def look_at_all(fleet: FleetSeen, now: float) -> Iterator[Found]:
    for one in fleet.guessing:
        whose = f"for {one.subject}" if one.is_account else f"from {one.subject}"
        look = (
            f"Ask {one.subject} whether it was them. If not, find the addresses of the tries in the logbook and "
            "block them in your network."
            if one.is_account
            else f"Check the machine with the address {one.subject}, or block it in your network. If it is a reverse "
            "proxy of yours, name it in PADDOCK_PROXIES, so that the server sees the addresses behind it."
        )
        yield Found(
            f"{one.tries} wrong passwords {whose}. Each further try must wait longer.",
            one.first_at,
            (Evidence("The first wrong try.", one.first_at), Evidence("The last wrong try.", one.last_at)),
            Remedy(f"{look} The finding closes an hour after the last wrong try."),
            about=f"{'account' if one.is_account else 'address'} {one.subject}",
        )


RULE = Rule(CODE, "Repeated wrong passwords", Severity.SOON, look_at_all=look_at_all)
