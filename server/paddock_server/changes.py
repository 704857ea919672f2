"""What has changed: an action announces it, and whoever keeps something of its own up to date subscribes in the
``ready()`` of its app. The sender of a change does not know the listeners.

``noted`` is sent at once, within the action and its savepoint: for what must be ready before the batch is committed.
``changed`` is sent after the commit, and never for what was rolled back. Rooms have signals of their own, in a module
``events``, for what carries more than a name; those are sent within the action, so that what a subscriber writes is
committed with it or not at all.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Generic, TypeVar

from django.db import transaction

Event = TypeVar("Event")


class Signal(Generic[Event]):
    """Calls its subscribers one after the other, in the order in which they subscribed. An error of one is the
    sender's."""

    def __init__(self) -> None:
        self._subscribers: list[Callable[[Event], object]] = []

    def subscribe(self, receive: Callable[[Event], object]) -> None:
        """``receive`` gets every event from now on; subscribing again changes nothing."""
        if receive not in self._subscribers:
            self._subscribers.append(receive)

    def send(self, event: Event) -> None:
        """Hands the event to every subscriber."""
        for receive in self._subscribers:
            receive(event)


@dataclass(frozen=True)
class Change:
    """A thing that has changed: its ``noun``, its name or number, and its paddock where only that one's people may hear
    of it. ``only_slots``: no more of a host than how many of its slots are at work. ``thing`` is its present state, as
    far as the action knows it."""

    noun: str
    name: str
    paddock: str = ""
    only_slots: bool = False
    thing: Mapping[str, object] | None = None


noted: Signal[Change] = Signal()
changed: Signal[Change] = Signal()


def announce(
    noun: str,
    name: object,
    paddock: str = "",
    *,
    only_slots: bool = False,
    thing: Mapping[str, object] | None = None,
) -> None:
    """Called by an action for each thing that it changes."""
    change = Change(noun, str(name), paddock, only_slots, thing)
    noted.send(change)
    transaction.on_commit(lambda: changed.send(change))
