"""The certificate of the server, as its agents see it, runs out: after that none of them connects."""

from __future__ import annotations

from collections.abc import Iterator

from ...reasons import count
from ...trend import DAY
from ...units import span
from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..observed import FleetSeen

HORIZON_SECONDS = 21 * DAY
SHOWN = 3


def look_at_all(fleet: FleetSeen, now: float) -> Iterator[Found]:
    ending = [host for host in fleet.hosts if host.certificate_ends < now + HORIZON_SECONDS]
    if not ending:
        return
    first = min(ending, key=lambda host: host.certificate_ends)
    left = first.certificate_ends - now
    when = f"expires in {span(left)}" if left > 0 else f"expired {span(-left)} ago"
    yield Found(
        f"The server's certificate {when}. After that, {count(len(ending), 'host')} cannot connect.",
        first.certificate_ends - HORIZON_SECONDS,
        (
            Evidence("Expires.", first.certificate_ends),
            Evidence(f"Seen by {', '.join(host.name for host in ending[:SHOWN])}."),
        ),
        Remedy("Renew it on the proxy that terminates TLS for this server."),
        about="server",
        severity=Severity.URGENT if left < 2 * DAY else None,
    )


RULE = Rule("certificate-ending", "The server's certificate expires", Severity.SOON, look_at_all=look_at_all)
