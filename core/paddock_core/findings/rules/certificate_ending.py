"""The certificate of the server, as its agents see it, runs out: after that none of them connects."""

from __future__ import annotations

from collections.abc import Iterator

from ...durations import span
from ...trend import DAY
from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..observed import FleetSeen

WITHIN = 21 * DAY
SHOWN = 3


def look_at_all(fleet: FleetSeen, now: float) -> Iterator[Found]:
    ending = [host for host in fleet.hosts if host.certificate_ends < now + WITHIN]
    if not ending:
        return
    first = min(ending, key=lambda host: host.certificate_ends)
    left = first.certificate_ends - now
    when = f"ends in {span(left)}" if left > 0 else f"ended {span(-left)} ago"
    yield Found(
        f"The certificate with which {len(ending)} of the hosts see this server {when}: after that they do not "
        "connect.",
        first.certificate_ends - WITHIN,
        (
            Evidence("Its end.", first.certificate_ends),
            Evidence(f"Seen by {', '.join(host.name for host in ending[:SHOWN])}."),
        ),
        Remedy("Renew it where TLS ends, in front of this server."),
        about="server",
        severity=Severity.URGENT if left < 2 * DAY else None,
    )


RULE = Rule("certificate-ending", "The server's certificate runs out", Severity.SOON, look_at_all=look_at_all)
