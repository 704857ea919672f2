"""A host that was woken did not come up: it does not count until a person has looked at it."""

from __future__ import annotations

from collections.abc import Iterator

from ...standby.power import MAX_TRIES, Power
from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..observed import HostSeen

_SETTINGS = {
    "linux": "`ethtool` shows `Wake-on: g` for its network card where that is allowed, and its firmware allows it too",
    "macos": "“Wake for network access” is on in its energy settings, and it is connected by cable",
    "windows": "its network card may wake the computer in Device Manager, and fast startup is off",
}


def look(host: HostSeen, now: float) -> Iterator[Found]:
    if host.power is not Power.NOT_WAKING:
        return
    yield Found(
        f"It did not connect after {MAX_TRIES} tries to wake it. Jobs do not count on it any more.",
        host.power_since,
        tuple(Evidence(what, at) for what, at in host.power_evidence),
        Remedy(
            f"Check its power and its network cable, switch it on by hand, and check that {_SETTINGS[host.family]}. "
            "Then press “Count on it again” on its sheet."
        ),
        unknown="Whether the packet arrived. A machine that is off does not answer.",
    )


RULE = Rule("does-not-wake", "It does not wake", Severity.SOON, look=look, of_sleepers=True)
