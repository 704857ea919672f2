"""The power of a host, as a state machine: what the server did or saw goes in, a change with its cause comes out."""

from __future__ import annotations

import statistics
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

USUAL_WAKE_SECONDS = 120.0
"""What a wake takes on a host that never woke before."""
LEARNT_FROM = 20
"""Wakes, the latest ones, from which a host's usual time and its odds are learnt."""
MIN_PATIENCE_SECONDS, PATIENCE_FACTOR = 60.0, 2.0
MAX_TRIES = 2
"""Tries of one wake after which the host does not count until a person has looked at it."""
DOWN_PATIENCE_SECONDS = 300.0
"""Seconds within which a host that was ordered to power down is gone."""


class Power(StrEnum):
    """``ON``: it is on, as far as the server knows. ``OFF``: a person switched it off."""

    ON = "on"
    GOING_DOWN = "going down"
    ASLEEP = "asleep"
    WAKING = "waking"
    NOT_WAKING = "does not wake"
    OFF = "switched off"


ASLEEP_ON_PURPOSE = frozenset({Power.ASLEEP, Power.WAKING})


class PowerEvent(StrEnum):
    """What the server did or saw."""

    DOWN_ORDERED = "power-down ordered"
    DOWN_REFUSED = "power-down refused"
    DOWN_OVERDUE = "power-down overdue"
    WENT_AWAY = "went away"
    SHUT_DOWN = "shut down"
    WAKE_ORDERED = "wake ordered"
    WAKE_OVERDUE = "wake overdue"
    CONNECTED = "connected"
    LOOKED_AT = "looked at"
    FORCED_OFF = "forced off"


@dataclass(frozen=True)
class PowerChange:
    """The power went to ``state``; ``cause`` says why in a sentence."""

    state: Power
    cause: str


_TRANSITIONS: dict[PowerEvent, dict[Power, PowerChange]] = {
    PowerEvent.DOWN_ORDERED: {Power.ON: PowerChange(Power.GOING_DOWN, "The server ordered it to power down.")},
    PowerEvent.DOWN_REFUSED: {Power.GOING_DOWN: PowerChange(Power.ON, "It did not power down.")},
    PowerEvent.DOWN_OVERDUE: {
        Power.GOING_DOWN: PowerChange(Power.ON, "It did not power down: it was still connected after five minutes.")
    },
    # A host that was ordered to go and is gone sleeps, whether its goodbye came through or not.
    PowerEvent.WENT_AWAY: {Power.GOING_DOWN: PowerChange(Power.ASLEEP, "It powered down for standby.")},
    PowerEvent.SHUT_DOWN: {
        Power.GOING_DOWN: PowerChange(Power.ASLEEP, "It powered down for standby."),
        Power.ON: PowerChange(Power.OFF, "It was shut down on the host itself."),
    },
    PowerEvent.WAKE_ORDERED: {
        state: PowerChange(Power.WAKING, "It is being woken.") for state in (Power.ASLEEP, Power.OFF, Power.NOT_WAKING)
    },
    PowerEvent.WAKE_OVERDUE: {
        Power.WAKING: PowerChange(Power.NOT_WAKING, f"It did not connect after {MAX_TRIES} tries to wake it.")
    },
    PowerEvent.CONNECTED: {
        Power.WAKING: PowerChange(Power.ON, "It woke."),
        Power.ASLEEP: PowerChange(Power.ON, "It woke by itself, or a person switched it on."),
        Power.NOT_WAKING: PowerChange(Power.ON, "It is on after all."),
        Power.OFF: PowerChange(Power.ON, "It was switched on."),
    },
    PowerEvent.LOOKED_AT: {
        Power.NOT_WAKING: PowerChange(Power.ASLEEP, "A person looked at it: it counts as a host that wakes again.")
    },
    # It can be woken afterwards, even if it was switched off by hand or did not wake before.
    PowerEvent.FORCED_OFF: {
        state: PowerChange(Power.ASLEEP, "Its controller switched it off.")
        for state in (Power.ON, Power.GOING_DOWN, Power.NOT_WAKING, Power.OFF)
    },
}


def power_after(now: Power, seen: PowerEvent) -> PowerChange | None:
    """The change that ``seen`` makes to a power that is ``now``; None where nothing changes."""
    return _TRANSITIONS[seen].get(now)


@dataclass(frozen=True)
class WakeRecord:
    """One earlier wake: the seconds that it took, None for one that failed."""

    seconds: float | None


def usual_wake_seconds(wakes: Sequence[WakeRecord]) -> float:
    """The median of the latest wakes that worked, oldest first; USUAL_WAKE_SECONDS without any."""
    worked = [wake.seconds for wake in wakes if wake.seconds is not None][-LEARNT_FROM:]
    return float(statistics.median(worked)) if worked else USUAL_WAKE_SECONDS


def wake_odds(wakes: Sequence[WakeRecord]) -> float:
    """The share of wakes that work, by the rule of succession (Laplace 1774) over the latest ones."""
    latest = wakes[-LEARNT_FROM:]
    return (sum(wake.seconds is not None for wake in latest) + 1) / (len(latest) + 2)


def wake_patience(usual: float) -> float:
    """Seconds that one try to wake a host has before the next one."""
    return max(MIN_PATIENCE_SECONDS, PATIENCE_FACTOR * usual)
