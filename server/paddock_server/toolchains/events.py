"""What the surveys make known, within the action that takes them in."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from ..changes import Signal
from ..hosts.models import Host


@dataclass(frozen=True)
class Surveyed:
    """A survey was taken in. ``marks`` are those of the requests that it answers."""

    host: Host
    marks: Sequence[str]


surveyed: Signal[Surveyed] = Signal()
