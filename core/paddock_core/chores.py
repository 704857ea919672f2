"""A chore rolling over hosts: which host comes next, when it stops, and what it came to on each."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from enum import StrEnum


class HostState(StrEnum):
    """Where a chore stands on one host."""

    WAITING = "waiting"
    DRAINING = "draining"
    RUNNING = "running"
    SURVEYING = "surveying"
    DONE = "done"
    NOT_THERE = "ran but not there"
    FAILED = "failed"
    UNREACHABLE = "could not reach"
    LEFT_OUT = "left out"


AT_WORK = frozenset({HostState.DRAINING, HostState.RUNNING, HostState.SURVEYING})
FAILURES = frozenset({HostState.NOT_THERE, HostState.FAILED})


@dataclass(frozen=True)
class Rolling:
    """How it rolls: ``at_once`` hosts at a time; ``stop_after`` so many failures no further host, 0 for never; with
    ``drain``, a host finishes its jobs first."""

    at_once: int = 1
    stop_after: int = 1
    drain: bool = False


@dataclass(frozen=True)
class ObservedHost:
    """One host of a chore. ``is_there``: its agent is connected; ``is_working``: jobs run on it."""

    name: str
    state: HostState
    is_there: bool = True
    is_working: bool = False


@dataclass(frozen=True)
class Move:
    """A host's next state."""

    name: str
    state: HostState
    because: str = ""


def moves(rolling: Rolling, hosts: Sequence[ObservedHost], *, is_stopped: bool = False) -> list[Move]:
    """What happens next, in the order of the hosts. A drained host runs the script when nothing works on it any more.
    One that is not there when its turn comes could not be reached; it takes no place, and does not count as a failure
    of the script.

    >>> moves(Rolling(at_once=1), [ObservedHost("a", HostState.RUNNING), ObservedHost("b", HostState.WAITING)])
    []
    """
    found = [
        Move(one.name, HostState.RUNNING)
        for one in hosts
        if one.state is HostState.DRAINING and not one.is_working and one.is_there
    ]
    found += [
        Move(one.name, HostState.UNREACHABLE, "It went away while it was drained.")
        for one in hosts
        if one.state is HostState.DRAINING and not one.is_there
    ]
    gone = {move.name for move in found if move.state is HostState.UNREACHABLE}
    waiting = [one for one in hosts if one.state is HostState.WAITING]
    failures = sum(one.state in FAILURES for one in hosts)
    if is_stopped or (rolling.stop_after and failures >= rolling.stop_after):
        why = "It was stopped." if is_stopped else f"It stopped after {_failures(failures)}."
        return found + [Move(one.name, HostState.LEFT_OUT, why) for one in waiting]
    room = rolling.at_once - sum(one.state in AT_WORK and one.name not in gone for one in hosts)
    for one in waiting:
        if room <= 0:
            break
        if not one.is_there:
            found.append(Move(one.name, HostState.UNREACHABLE, "Its agent is not connected."))
            continue
        drains = rolling.drain and one.is_working
        found.append(Move(one.name, HostState.DRAINING if drains else HostState.RUNNING))
        room -= 1
    return found


def _failures(number: int) -> str:
    return "a failure" if number == 1 else f"{number} failures"


def is_over(states: Collection[HostState]) -> bool:
    """Whether nothing happens any more."""
    return not any(state is HostState.WAITING or state in AT_WORK for state in states)


def outcome(passed: bool, missing: Sequence[str]) -> HostState:
    """What it came to on a host where the script ran and was followed by a survey. ``missing`` are the terms that it
    was for and that do not hold now."""
    if not passed:
        return HostState.FAILED
    return HostState.NOT_THERE if missing else HostState.DONE
