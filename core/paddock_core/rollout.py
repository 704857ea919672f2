"""A rollout: which hosts are upgraded when. Pure functions of what is known of the hosts now."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from enum import StrEnum

from .errors import CoreError

MAX_WAVES = 20
CANARIES = 0
"""The number of the wave of the canaries."""


class HostStep(StrEnum):
    """Where a rollout stands on one host."""

    WAITING = "waiting"
    INSTALLING = "installing"
    DRAINING = "draining"
    SWITCHED = "switched"
    PROVEN = "proven"
    WENT_BACK = "went back"
    UNREACHABLE = "unreachable"
    LEFT_OUT = "left out"


AT_WORK = frozenset({HostStep.INSTALLING, HostStep.DRAINING, HostStep.SWITCHED})
OVER = frozenset({HostStep.PROVEN, HostStep.WENT_BACK, HostStep.LEFT_OUT})


class RolloutInvalid(CoreError):
    """Rules that cannot be followed; the sentence says why."""


@dataclass(frozen=True)
class Hours:
    """When hosts may begin: from ``start`` to ``end``, minutes after midnight, on the weekdays ``days`` (0 is Monday)
    on which the time starts. Where ``end`` is not after ``start``, it lasts over midnight."""

    start: int
    end: int
    days: Collection[int] = range(7)

    def contains(self, moment: datetime) -> bool:
        """Whether a moment, in the zone that is meant, lies in them."""
        minute, day = moment.hour * 60 + moment.minute, moment.weekday()
        if self.start < self.end:
            return day in self.days and self.start <= minute < self.end
        return (day in self.days and minute >= self.start) or ((day - 1) % 7 in self.days and minute < self.end)


@dataclass(frozen=True)
class Rules:
    """How a rollout goes. ``waves`` are sizes after the canaries, as "5" hosts or "25%" of all; what is left over
    belongs to the last. ``pause`` are seconds after a wave; at most ``per_paddock`` and ``per_kind`` hosts at once of a
    paddock and a kind of work; after ``stop_after`` hosts that went back no other begins, 0 for never. With
    ``canaries`` the hosts of a group go one at a time until one of them is proven, and the rollout ends if the first
    goes back. ``hours`` is None for at any time."""

    waves: tuple[str, ...] = ("100%",)
    pause: float = 0.0
    per_paddock: int = 5
    per_kind: int = 5
    stop_after: int = 1
    hours: Hours | None = None
    canaries: bool = True


@dataclass(frozen=True)
class Candidate:
    """A host that a rollout could reach. Its ``group`` are the hosts that one canary stands for: those with its system
    and service manager. ``unfit`` is why it is left out."""

    name: str
    paddock: str
    group: str = ""
    is_there: bool = True
    unfit: str = ""


@dataclass(frozen=True)
class RolloutHost:
    """One host of a rollout now. ``is_there``: its agent is connected. ``is_ready``: it takes jobs. ``ended_at``: when
    its step became one of OVER (seconds)."""

    name: str
    paddock: str
    wave: int
    step: HostStep = HostStep.WAITING
    is_there: bool = True
    is_ready: bool = True
    ended_at: float = 0.0
    group: str = ""


@dataclass(frozen=True)
class Next:
    """What a rollout does now. ``begin`` are hosts that begin, ``away`` those that are not there, ``left_out`` those
    that never begin, with the ``reason``. ``waits`` says for each host that waits what for."""

    begin: tuple[str, ...] = ()
    away: tuple[str, ...] = ()
    left_out: tuple[str, ...] = ()
    reason: str = ""
    waits: Mapping[str, str] = field(default_factory=dict)


def wave_size(text: str, hosts: int) -> int:
    """How many of ``hosts`` a size means, at least one. Raises RolloutInvalid.

    >>> [wave_size(text, 30) for text in ("5", "10%", "1%")]
    [5, 3, 1]
    """
    found = re.fullmatch(r"([1-9]\d{0,4})(%?)", text.strip())
    if not found or (found[2] and int(found[1]) > 100):
        raise RolloutInvalid(f"“{text[:20]}” is not the size of a wave. Write a number of hosts, or 1% to 100%.")
    number = int(found[1])
    return max(1, -(-hosts * number // 100)) if found[2] else number


def plan(rules: Rules, candidates: Sequence[Candidate]) -> list[list[str]]:
    """The waves, by the names of their hosts; the first are the canaries, which may be none. Hosts that are unfit are
    in none. Neighbours in a wave come from different paddocks. Raises RolloutInvalid for sizes that cannot be read."""
    if not 0 < len(rules.waves) <= MAX_WAVES:
        raise RolloutInvalid(f"A rollout has 1 to {MAX_WAVES} waves.")
    fit = sorted((one for one in candidates if not one.unfit), key=lambda one: one.name)
    canaries: dict[str, str] = {}
    if rules.canaries and len(fit) > 1:
        for one in sorted(fit, key=lambda one: not one.is_there):
            canaries.setdefault(one.group, one.name)
    chosen = set(canaries.values())
    rest = _spread([one for one in fit if one.name not in chosen])
    waves: list[list[str]] = [sorted(chosen)]
    begun = 0
    for text in rules.waves:
        size = wave_size(text, len(fit))
        waves.append(rest[begun : begun + size])
        begun += size
    waves[-1] += rest[begun:]
    return [waves[0], *(wave for wave in waves[1:] if wave)]


def _spread(hosts: Sequence[Candidate]) -> list[str]:
    """The names in turns of the paddocks."""
    by_paddock: dict[str, list[str]] = defaultdict(list)
    for one in hosts:
        by_paddock[one.paddock].append(one.name)
    found = []
    for turn in range(max(map(len, by_paddock.values()), default=0)):
        found += [names[turn] for _, names in sorted(by_paddock.items()) if turn < len(names)]
    return found


def next_step(
    rules: Rules,
    hosts: Sequence[RolloutHost],
    kinds: Mapping[str, Collection[str]],
    now: float,
    local: datetime,
    *,
    is_paused: bool = False,
) -> Next:
    """What happens now. ``kinds`` has, for each kind of work, the living hosts that can do it; ``now`` is in seconds,
    ``local`` the same moment in the zone of the hours.

    >>> next_step(Rules(), [RolloutHost("a", "p", 1)], {}, 0, datetime(2026, 1, 1)).begin
    ('a',)
    """
    waiting = [one for one in hosts if one.step in (HostStep.WAITING, HostStep.UNREACHABLE)]
    if why := why_stopped(rules, hosts):
        return Next(left_out=tuple(one.name for one in waiting), reason=why)
    away = tuple(one.name for one in waiting if not one.is_there and one.step is HostStep.WAITING)
    there = [one for one in waiting if one.is_there]
    wave = min(
        (one.wave for one in hosts if one.step in (HostStep.WAITING, *AT_WORK) and one.name not in away), default=None
    )
    held_up = _held_up(rules, hosts, wave, now, local, is_paused)
    begin: list[str] = []
    waits: dict[str, str] = {}
    at_work = {one.name for one in hosts if one.step in AT_WORK}
    for one in sorted(there, key=lambda one: (one.wave, hosts.index(one))):
        late = one.step is HostStep.UNREACHABLE
        why = held_up
        if not why and wave is not None and one.wave > wave:
            why = _after(wave)
        if late and wave is None and not is_paused:
            why = _outside(rules, local)
        if not why:
            why = _unproven(rules, one, hosts, at_work) or _crowded(rules, one, hosts, kinds, at_work)
        if why:
            waits[one.name] = why
        else:
            begin.append(one.name)
            at_work.add(one.name)
    return Next(tuple(begin), away, waits=waits)


def _held_up(
    rules: Rules, hosts: Sequence[RolloutHost], wave: int | None, now: float, local: datetime, is_paused: bool
) -> str:
    """What keeps every host from beginning, "" where nothing does."""
    if is_paused:
        return "The rollout is paused."
    if why := _outside(rules, local):
        return why
    begun = any(one.step in (*AT_WORK, *OVER) for one in hosts if one.wave == wave)
    ended = [one.ended_at for one in hosts if wave is not None and one.wave < wave and one.step in OVER]
    left = max(ended, default=-rules.pause) + rules.pause - now
    if left > 0 and not begun and ended:
        return f"The pause after the last wave ends in {_minutes(left)}."
    return ""


def _outside(rules: Rules, local: datetime) -> str:
    return "It is not within the hours of the rollout." if rules.hours and not rules.hours.contains(local) else ""


def _after(wave: int) -> str:
    return "It waits for the canaries." if wave == CANARIES else f"It waits for wave {wave}."


def _minutes(seconds: float) -> str:
    minutes = max(1, round(seconds / 60))
    return "a minute" if minutes == 1 else f"{minutes} minutes"


def _unproven(rules: Rules, one: RolloutHost, hosts: Sequence[RolloutHost], at_work: Collection[str]) -> str:
    """Which host of its group has to prove the version first, "" where none has to."""
    group = [other for other in hosts if other.group == one.group]
    if not rules.canaries or any(other.step is HostStep.PROVEN for other in group):
        return ""
    first = next((other.name for other in group if other.name in at_work), "")
    return f"{first} has to prove the version first." if first else ""


def _crowded(
    rules: Rules,
    one: RolloutHost,
    hosts: Sequence[RolloutHost],
    kinds: Mapping[str, Collection[str]],
    at_work: Collection[str],
) -> str:
    """Which limit keeps one host from beginning beside those at work."""
    by_name = {other.name: other for other in hosts}
    beside = sum(by_name[name].paddock == one.paddock for name in at_work)
    if beside >= rules.per_paddock:
        return f"{beside} hosts of {one.paddock} are at it."
    for kind, able in kinds.items():
        if one.name not in able:
            continue
        if sum(name in able for name in at_work) >= rules.per_kind:
            return f"{rules.per_kind} hosts that can do {kind} are at it."
        others = [name for name in able if name != one.name]
        ready = [name for name in others if name not in at_work and (name not in by_name or by_name[name].is_ready)]
        if one.is_ready and others and not ready:
            return f"It is the last ready host for {kind}."
    return ""


def why_stopped(rules: Rules, hosts: Sequence[RolloutHost]) -> str:
    """Why no other host begins, "" where they may."""
    back = [one for one in hosts if one.step is HostStep.WENT_BACK]
    proven = {one.group for one in hosts if one.step is HostStep.PROVEN}
    if rules.canaries and (first := next((one.name for one in back if one.group not in proven), "")):
        return f"{first} went back, the first host of its kind."
    if rules.stop_after and len(back) >= rules.stop_after:
        return "A host went back." if len(back) == 1 else f"{len(back)} hosts went back."
    return ""


def is_over(steps: Collection[HostStep]) -> bool:
    """Whether nothing more happens, but for hosts that are unreachable."""
    return not any(step is HostStep.WAITING or step in AT_WORK for step in steps)
