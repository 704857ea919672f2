"""The agent is connected, and tried in vain what every job does first: the host gets no jobs."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator

from ...link_state import Link
from ...readiness import LEAST_DISK
from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..observed import HostSeen


def look(host: HostSeen, now: float) -> Iterator[Found]:
    if host.link is not Link.CONNECTED:
        return
    causes: Counter[str] = Counter()
    for one in host.failing:
        if one.cause == "disk full" and host.disk_free < LEAST_DISK:
            continue  # the finding of the full disk says more
        causes[one.cause] += 1
        which = f" {causes[one.cause]}" if causes[one.cause] > 1 else ""
        first, *more = one.evidence or ("The agent tried it.",)
        yield Found(
            f"It gets no jobs. {one.sentence}",
            host.failing_since,
            (Evidence(first, host.failing_since), *(Evidence(text) for text in more)),
            Remedy(f"{one.remedy} The host gets jobs again when the agent's trial succeeds.", one.commands),
            about=one.cause + which,
            unknown=one.unknown,
        )


RULE = Rule("unable-to-work", "It cannot run jobs", Severity.URGENT, look=look)
