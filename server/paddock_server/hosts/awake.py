"""Which hosts other work needs on, such as a chore. Rooms above say it of theirs; standby wakes those that sleep, and
lets them sleep again."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from paddock_core.link_state import Link
from paddock_core.standby.power import Power

from .models import Host

Needs = Callable[[], Mapping[int, str]]
"""The hosts that are needed on now, by key, with the work that needs each."""

_needs: list[Needs] = []
_COMES_UP = {Power.ASLEEP.value, Power.WAKING.value, Power.GOING_DOWN.value}


def add_needs(needs: Needs) -> None:
    """Called once by each room that has some, when the server starts."""
    _needs.append(needs)


def needed_on() -> dict[int, str]:
    """All hosts that are needed on now."""
    return {host: work for needs in _needs for host, work in needs().items()}


def must_wake(host: Host) -> bool:
    """Whether standby has to wake it before work can begin there; false for one that is on, or off for good."""
    return host.power in _COMES_UP


def is_within_reach(host: Host) -> bool:
    """Whether work can begin there, at once or when it is up."""
    return must_wake(host) or host.link == Link.CONNECTED.value
