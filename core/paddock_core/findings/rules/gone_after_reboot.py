"""The machine was restarted, and nothing started the agent again: it had been started by hand."""

from __future__ import annotations

from collections.abc import Iterator

from ...units import span
from ..commands import INSTALL
from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..observed import HostSeen


def look(host: HostSeen, now: float) -> Iterator[Found]:
    watch = host.watch_state
    if not watch or host.kept_by or watch.running != "missing":
        return
    rebooted = bool(watch.boot and host.boot and watch.boot != host.boot)
    if rebooted:
        sentence = (
            f"The machine was restarted {span(max(0.0, now - watch.booted_at))} ago. Its agent had been "
            "started by hand, so nothing has restarted it."
        )
    else:
        sentence = "The machine is up. Its agent had been started by hand and has ended, and nothing restarts it."
    yield Found(
        sentence,
        host.link_since,
        (
            Evidence("When it was last connected, no service ran it.", host.link_since),
            Evidence(
                f"The watch: up for {span(max(0.0, now - watch.booted_at))}, without a service of the agent.",
                watch.at,
            ),
        ),
        Remedy("Have the machine keep it running: as a service it comes back by itself.", (INSTALL,)),
    )


RULE = Rule("gone-after-reboot", "Started by hand, and gone", Severity.URGENT, look=look)
