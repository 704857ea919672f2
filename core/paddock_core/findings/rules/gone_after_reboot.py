"""The machine was restarted, and nothing started the agent again: it had been started by hand."""

from __future__ import annotations

from collections.abc import Iterator

from ...durations import span
from ..commands import INSTALL
from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..seen import HostSeen


def look(host: HostSeen, now: float) -> Iterator[Found]:
    told = host.told_since
    if not told or host.kept_by or told.running != "missing":
        return
    rebooted = bool(told.boot and host.boot and told.boot != host.boot)
    if rebooted:
        sentence = (
            f"The machine was restarted {span(max(0.0, now - told.booted_at))} ago. Its agent had been "
            "started "
            "by hand, so nothing has started it since."
        )
    else:
        sentence = "Its agent had been started by hand and has ended; the machine is up, and nothing starts it again."
    yield Found(
        sentence,
        host.link_since,
        (
            Evidence("When it was last connected, no service kept it running.", host.link_since),
            Evidence(
                f"The watch: the machine is up for {span(max(0.0, now - told.booted_at))}; there is no service of "
                "the agent.",
                told.at,
            ),
        ),
        Remedy("Have the machine keep it running: as a service it comes back by itself.", (INSTALL,)),
    )


RULE = Rule("gone-after-reboot", "Started by hand, and gone", Severity.URGENT, look=look)
