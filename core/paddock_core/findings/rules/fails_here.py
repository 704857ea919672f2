"""Jobs fail on this host that pass on its peers."""

from __future__ import annotations

from collections.abc import Iterator

from ..finding import Action, Evidence, Found, Remedy, Rule, Severity
from ..observed import HostSeen


def look(host: HostSeen, now: float) -> Iterator[Found]:
    one = host.contrast
    if one is None or not one.stands_out:
        return
    yield Found(
        f"{one.failed} of {one.tries} attempts failed here in the last week; on other hosts, {one.peers_failed} of "
        f"{one.peers_tries} attempts of the same jobs did. This is not chance.",
        0.0,
        (
            Evidence(f"Here {one.failed / one.tries:.0%} failed, elsewhere {one.peers_failed / one.peers_tries:.0%}."),
            Evidence(f"Fisher's exact test, corrected for the number of hosts: p = {one.p:.2g}."),
            Evidence(f"Failing here: {', '.join(one.jobs[:4])}."),
        ),
        Remedy(
            "Compare its tools with a host on which they pass. Hold it until the cause is known.",
            (),
            Action.NONE if host.holding else Action.HOLD,
        ),
    )


RULE = Rule("fails-here", "Jobs fail here that pass elsewhere", Severity.SOON, look=look)
