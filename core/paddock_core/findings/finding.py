"""What a finding is, and what a rule is."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from enum import StrEnum

from .observed import FleetSeen, HostSeen
from .possibility import Possibility


class Severity(StrEnum):
    """URGENT: work is lost or held up now. SOON: it will be, unless a person acts. NOTE: worth knowing."""

    URGENT = "urgent"
    SOON = "soon"
    NOTE = "note"


ORDER = {Severity.URGENT: 0, Severity.SOON: 1, Severity.NOTE: 2}


@dataclass(frozen=True)
class Evidence:
    """One thing that was read or that happened: what, and when in seconds since the epoch (0 where that says
    nothing)."""

    text: str
    at: float = 0.0


class Action(StrEnum):
    """What the server can do itself about a finding. REQUEST_START: the watch starts the agent's service."""

    NONE = ""
    RESTART_AGENT = "restart agent"
    START_SERVICE = "start service"
    REQUEST_START = "request start"
    HOLD = "hold"


@dataclass(frozen=True)
class Remedy:
    """What to do, in a sentence; commands for the host's own system; and an action that the server can take itself."""

    sentence: str
    commands: tuple[str, ...] = ()
    action: Action = Action.NONE


@dataclass(frozen=True)
class Found:
    """What a rule found. ``about`` tells apart several findings of one rule on one host, as by the service;
    ``severity`` is that of the rule where it is not given; ``hosts`` only where it is not the host looked at.
    ``unknown`` is what the evidence cannot tell; ``possible`` are the causes that fit it, where there are several."""

    sentence: str
    since: float
    evidence: tuple[Evidence, ...]
    remedy: Remedy
    about: str = ""
    severity: Severity | None = None
    hosts: tuple[str, ...] = ()
    paddock: str = ""
    unknown: str = ""
    possible: tuple[Possibility, ...] = ()


@dataclass(frozen=True)
class Rule:
    """One rule. It looks at hosts one by one, or at all of them together. A host that is off on purpose is in no
    trouble: only rules ``of_sleepers`` look at it."""

    code: str
    title: str
    severity: Severity
    look: Callable[[HostSeen, float], Iterable[Found]] | None = None
    look_at_all: Callable[[FleetSeen, float], Iterable[Found]] | None = None
    of_sleepers: bool = False


@dataclass(frozen=True)
class Finding:
    """One diagnosed trouble, with its evidence and its remedy. ``paddock`` is "" where it concerns several."""

    code: str
    title: str
    severity: Severity
    sentence: str
    since: float
    evidence: tuple[Evidence, ...]
    remedy: Remedy
    about: str
    hosts: tuple[str, ...]
    paddock: str
    unknown: str = ""
    possible: tuple[Possibility, ...] = ()

    @property
    def key(self) -> str:
        """What stays the same as long as it is the same trouble."""
        if self.about and len(self.hosts) != 1:
            return f"{self.code} {self.about}"
        return f"{self.code} {self.hosts[0] if self.hosts else ''} {self.about}".rstrip()
