"""What the rules look at: a host as the server knows it now, as plain values. Times in seconds since the epoch, sizes
in bytes, NaN and None for what is not known."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

from ..link_state import Link
from ..proportions import Contrast
from ..standby.power import Power
from ..trend import Trend
from .possibility import Possibility


@dataclass(frozen=True)
class Failing:
    """Something that the host cannot do, as its agent has tried: the cause in a word, the diagnosis in a sentence, the
    evidence for it, what it cannot tell, and the remedy."""

    cause: str
    sentence: str
    evidence: tuple[str, ...] = ()
    unknown: str = ""
    remedy: str = ""
    commands: tuple[str, ...] = ()
    possible: tuple[Possibility, ...] = ()


@dataclass(frozen=True)
class WatchSeen:
    """The last report of the watch: the agent's service as its manager sees it.

    ``since`` is when it first reported this state; ``running`` is running, stopped, failed, trying again or missing;
    ``cause`` the diagnosis in a word, "" for none; ``sentence`` and ``remedy`` the diagnosis in full. ``on_purpose``:
    it was stopped by the agent's own command. ``boot`` is the identity of the machine's present run, ``booted_at`` when
    that began; ``started_at`` when the watch last started the service.
    """

    at: float
    service: str = ""
    running: str = "running"
    starts_at_boot: bool = True
    start_type: str = ""
    account: str = ""
    cause: str = ""
    code: str = ""
    restarts: int = 0
    sentence: str = ""
    remedy: tuple[str, ...] = ()
    lines: tuple[str, ...] = ()
    on_purpose: bool = False
    boot: str = ""
    booted_at: float = math.nan
    started_at: float = 0.0
    starts_left: int = 0
    since: float = 0.0
    diagnosis: Failing | None = None
    """What keeps the agent from working, where the host was examined and a cause was found."""


@dataclass(frozen=True)
class WatchedService:
    """A service that builds need, as the agent reports it."""

    name: str
    running: str
    since: float


@dataclass(frozen=True)
class Anomaly:
    """Something that a host sent and that cannot be: when last, and what, in a sentence."""

    at: float
    sentence: str


@dataclass(frozen=True)
class RefusedVersion:
    """A version of the agent that went back on a host, after the last that was proven there."""

    version: str
    at: float
    why: str


@dataclass(frozen=True)
class HostSeen:
    """One host. Readings are medians over the last minutes, so that a single wild one finds nothing."""

    name: str
    paddock: str
    family: str = "linux"
    address: str = ""
    is_admitted: bool = True
    holding: str = ""
    link: Link = Link.CONNECTED
    link_since: float = 0.0
    link_cause: str = ""
    losses: tuple[float, ...] = ()
    kept_by: str = ""
    boot: str = ""
    account: str = ""
    agent_version: str = ""
    oldest_agent: str = ""
    work_folder: str = ""
    failing: tuple[Failing, ...] = ()
    failing_since: float = 0.0
    outdated: tuple[str, ...] = ()
    clock: float = math.nan
    disk_free: float = math.nan
    disk_total: float = math.nan
    system_free: float = math.nan
    memory_free: float = math.nan
    memory: float = math.nan
    disk_trend: Trend | None = None
    watch: WatchSeen | None = None
    watch_every: float = 60.0
    listening_since: float = 0.0
    """Since when the server has been there to hear a watch."""
    watch_may_start: bool = False
    services: tuple[WatchedService, ...] = ()
    unanswered: tuple[float, ...] = ()
    contrast: Contrast | None = None
    clone: Anomaly | None = None
    rate_limited: Anomaly | None = None
    invalid_reading: Anomaly | None = None
    rejected_report: Anomaly | None = None
    newest_agent: str = ""
    newest_since: float = 0.0
    """The newest agent that the server holds, and since when."""
    refused: tuple[RefusedVersion, ...] = ()
    certificate_ends: float = math.nan
    shares_machine: bool = False
    """Whether another agent runs on the same machine."""
    power: Power = Power.ON
    power_since: float = 0.0
    power_evidence: tuple[tuple[str, float], ...] = ()
    """What was done to wake it or to power it down, and when."""
    down_failed: str = ""
    """Why it did not power down when the server ordered it; "" where it did."""

    @property
    def is_away(self) -> bool:
        return self.link in (Link.LOST, Link.STOPPED) and not self.sleeps

    @property
    def sleeps(self) -> bool:
        """Whether it is off on purpose, or on its way up or down."""
        return self.power in (Power.ASLEEP, Power.WAKING, Power.NOT_WAKING) and self.link is not Link.CONNECTED

    @property
    def watch_patience(self) -> float:
        """Seconds after which a watch counts as silent: two reports missed, and some."""
        return 2.5 * self.watch_every

    def watch_is_silent(self, now: float) -> bool:
        """Whether the watch that there is has not reported for too long."""
        return self.watch is not None and now - max(self.watch.at, self.listening_since) > self.watch_patience

    @cached_property
    def watch_state(self) -> WatchSeen | None:
        """The report of the watch since the agent went away: earlier reports do not explain the loss."""
        return self.watch if self.is_away and self.watch and self.watch.at > self.link_since else None


@dataclass(frozen=True)
class PassSeen:
    """An entry pass that still lets agents in."""

    name: str
    paddock: str
    ends_at: float
    uses_left: int
    was_used: bool


@dataclass(frozen=True)
class TokenSeen:
    """A token that still gives access. Times are seconds since the epoch; 0 for one that was never used."""

    name: str
    account: str
    ends_at: float
    last_used_at: float
    last_used_from: str


@dataclass(frozen=True)
class GuessingSeen:
    """Too many wrong passwords for a typing mistake: from one address, or for one person where ``is_account``."""

    subject: str
    is_account: bool
    tries: int
    first_at: float
    last_at: float


@dataclass(frozen=True)
class BackupsSeen:
    """The server's backups, where there is a schedule: ``interval`` in seconds, ``scheduled_since`` when the server
    began, ``last_made_at`` and ``last_tried_at`` 0 for never. ``trouble`` is why the last one failed, "" if it did not,
    and ``failing_since`` the first failure after the last success."""

    interval: float
    scheduled_since: float
    last_made_at: float = 0.0
    last_tried_at: float = 0.0
    trouble: str = ""
    failing_since: float = 0.0


@dataclass(frozen=True)
class FleetSeen:
    """All hosts, and what belongs to none of them."""

    hosts: tuple[HostSeen, ...]
    passes: tuple[PassSeen, ...] = ()
    guessing: tuple[GuessingSeen, ...] = ()
    tokens: tuple[TokenSeen, ...] = ()
    backups: BackupsSeen | None = None
    server_disk: Trend | None = None
    """Free bytes on the disk of the server's data folder, where they surely fall."""
