"""The messages of the WebSocket between agent and server."""

from __future__ import annotations

from typing import Annotated

import msgspec
from msgspec import Meta

from .shared import (
    MAX_FOUND,
    MAX_MARKS,
    MAX_SERVICES,
    Broken,
    Count,
    Details,
    Facts,
    FailedParts,
    FoundInstallation,
    FromAgent,
    FromServer,
    Line,
    Word,
)
from .work import (
    Abandon,
    AttemptEnded,
    AttemptRefused,
    AttemptStarted,
    Cancel,
    ClearFolders,
    LogChunk,
    Offer,
    Outputs,
    StepBegan,
    StepEnded,
    Underway,
    WorkFolders,
)

# ---- agent to server -----------------------------------------------------------------------------------------------


class Hello(FromAgent, tag="hello", frozen=True, kw_only=True):
    """The first message of every connection. ``attempts`` are those that run here or whose end is not yet reported."""

    protocol: int
    facts: Facts
    run: Word = ""
    """What tells this run of the agent from others."""
    attempts: Annotated[list[Word], Meta(max_length=2000)]
    time_line: Word = ""
    """The time line of the server's database that the agent last heard of, "" for none."""
    certificate_ends: float | None = None
    """When the server's certificate ends, as this host sees it: seconds since the epoch. None without TLS."""
    cannot: FailedParts | None = None
    """What failed when the agent tried whether it can work; None from an agent that does not try."""
    trouble_before: Annotated[list[Line], Meta(max_length=20)] = msgspec.field(default_factory=list)
    """What kept the agent from connecting before, in its own words, the last first."""


class Heartbeat(FromAgent, tag="heartbeat", frozen=True, kw_only=True):
    """A sign of life with the current readings. Sizes in bytes, times in seconds; unknown readings are left out.

    The numbers are not bounded here: the server ignores an impossible one and reports a finding; the agent stays
    connected."""

    at: float | None = None
    """The host's own clock, in seconds since the epoch."""
    load: float | None = None
    """Processes that run or want to, mean of the last minute."""
    memory_free: float | None = None
    disk_free: float | None = None
    """Of the work folder."""
    system_free: float | None = None
    open_files: float | None = None
    uptime: float | None = None
    agent_memory: float | None = None


class WorkTried(FromAgent, tag="work tried", frozen=True, kw_only=True):
    """The agent has tried again whether it can work, and other parts fail now than before; none where it can."""

    cannot: FailedParts = msgspec.field(default_factory=list)


class WatchedState(msgspec.Struct, frozen=True, omit_defaults=True):
    """A watched service: ``running`` is running, stopped, failed, trying again, missing or unknown."""

    name: Word
    running: Word
    detail: Line = msgspec.field(default="", name="said")


class WatchedServices(FromAgent, tag="services", frozen=True, kw_only=True):
    """How the services that builds need are, all of them, whenever one has changed."""

    states: Annotated[list[WatchedState], Meta(max_length=MAX_SERVICES)]


class ServiceTried(FromAgent, tag="service tried", frozen=True, kw_only=True):
    """A watched service was started or stopped as asked, or ``why`` not, with commands that would let it."""

    name: Word
    verb: Word
    why: Line = ""
    remedy: Annotated[list[Line], Meta(max_length=10)] = msgspec.field(default_factory=list)


class SurveyReport(FromAgent, tag="survey", frozen=True, kw_only=True):
    """What the survey found: of the tools ``looked_for``, those in neither list are not there. ``took`` is in seconds;
    ``because`` is what asked for it: start, daily, request, folders or catalogue; ``marks`` are those of the requests
    that came before it began.

    ``catalogue`` is the number of the server's probes that were used, 0 for none beside the built-in ones;
    ``refused`` says why the newest were not.
    """

    facts: Facts
    installations: Annotated[list[FoundInstallation], Meta(max_length=MAX_FOUND)]
    broken: Annotated[list[Broken], Meta(max_length=MAX_FOUND)] = msgspec.field(default_factory=list)
    took: float = 0.0
    details: Details = Details()
    looked_for: Annotated[list[Word], Meta(max_length=2000)] = msgspec.field(default_factory=list)
    because: Word = ""
    marks: Annotated[list[Word], Meta(max_length=MAX_MARKS)] = msgspec.field(default_factory=list)
    catalogue: Count = 0
    refused: Line = ""


class Tried(FromAgent, tag="tried", frozen=True, kw_only=True):
    """What a dry run of one tool's definition found; ``why`` it was not run."""

    trial: Count
    installations: Annotated[list[FoundInstallation], Meta(max_length=MAX_FOUND)] = msgspec.field(default_factory=list)
    broken: Annotated[list[Broken], Meta(max_length=MAX_FOUND)] = msgspec.field(default_factory=list)
    took: float = 0.0
    why: Line = ""


class Woken(FromAgent, tag="woken", frozen=True, kw_only=True):
    """The packet that WakeNeighbour asked for was sent, or ``why`` not."""

    wake: Count
    why: Line = ""


class Goodbye(FromAgent, tag="goodbye", frozen=True, kw_only=True):
    """The agent was stopped on purpose. ``shutdown``: because the machine shuts down, by its manager's own word;
    ``standby``: and the server asked for that."""

    why: Line = ""
    shutdown: bool = False
    standby: bool = False


AgentMessage = (
    Hello
    | Heartbeat
    | WorkTried
    | WatchedServices
    | ServiceTried
    | SurveyReport
    | Tried
    | AttemptStarted
    | AttemptRefused
    | StepBegan
    | StepEnded
    | LogChunk
    | Outputs
    | AttemptEnded
    | WorkFolders
    | Woken
    | Goodbye
)


# ---- server to agent -----------------------------------------------------------------------------------------------


class Welcome(FromServer, tag="welcome", frozen=True, kw_only=True):
    """The answer to Hello. ``heartbeat`` is in seconds."""

    host: Word
    admitted: bool
    slots: Annotated[int, Meta(ge=1, le=1000)]
    heartbeat: float
    services: Annotated[list[Word], Meta(max_length=MAX_SERVICES)] = msgspec.field(default_factory=list)
    """The services that are watched."""
    signer: Word = ""
    """The public key with which the server signs probes (Ed25519, in hexadecimal). An agent takes the first it sees."""
    time_line: Word = ""
    """The present time line of the server's database. What runs of another one, before a restore, is to be stopped."""
    warm_days: Annotated[int, Meta(ge=0, le=3650)] = 14
    """Days that a warm folder is kept after its last use."""


class Ack(FromServer, tag="ack", frozen=True, kw_only=True):
    """The server has the message ``seq``; for agents before protocol version 5, all messages before it as well."""

    seq: Count


class LogAck(FromServer, tag="log ack", frozen=True, kw_only=True):
    """The server has the first ``size`` bytes of the attempt's log."""

    attempt: Word
    size: Count


class SurveyNow(FromServer, tag="survey now", frozen=True, kw_only=True):
    """Survey the host and report. A ``mark`` comes back with the first survey that begins after this."""

    mark: Word = ""


class Probes(FromServer, tag="probes", frozen=True, kw_only=True):
    """The tools that the server's catalogue has beside the built-in ones, or instead of them, as JSON text with its
    signature. An older ``number`` than the one that is known is refused."""

    number: Count
    tools: Annotated[str, Meta(max_length=700 * 1024)]
    signature: Word


class TryProbe(FromServer, tag="try probe", frozen=True, kw_only=True):
    """Look for one tool, by this definition, and report what is found; nothing of it is kept."""

    trial: Count
    tool: Annotated[str, Meta(max_length=64 * 1024)]
    signature: Word


class Admitted(FromServer, tag="admitted", frozen=True, kw_only=True):
    """A person let the host in."""


class Slots(FromServer, tag="slots", frozen=True, kw_only=True):
    """From now on this many jobs at a time; what runs above that may finish."""

    slots: Annotated[int, Meta(ge=1, le=1000)]


class Restart(FromServer, tag="restart", frozen=True, kw_only=True):
    """Finish running jobs, accept no new ones, and restart with the environment of a new log-in."""


class Upgrade(FromServer, tag="upgrade", frozen=True):
    """An order to upgrade waits for the watch of this host: nudge it. The watch asks the server itself what to do."""


class PowerDown(FromServer, tag="power down", frozen=True):
    """Accept no more jobs, and nudge the watch if none runs: the watch asks the server itself for the order."""


class WakeNeighbour(FromServer, tag="wake neighbour", frozen=True, kw_only=True):
    """Send a magic packet for this hardware address into a network of this host."""

    wake: Count
    hardware: Word
    broadcast: Word


class WatchServices(FromServer, tag="watch services", frozen=True, kw_only=True):
    """From now on these services are watched."""

    services: Annotated[list[Word], Meta(max_length=MAX_SERVICES)]


class HeartbeatEvery(FromServer, tag="heartbeat every", frozen=True, kw_only=True):
    """From now on a heartbeat every so many seconds."""

    seconds: float


class StillThere(FromServer, tag="still there", frozen=True, kw_only=True):
    """Send a heartbeat at once: another machine calls with the same key."""


class TryService(FromServer, tag="try service", frozen=True, kw_only=True):
    """Start or stop a watched service: ``verb`` is start or stop."""

    name: Word
    verb: Word


class Dismiss(FromServer, tag="dismiss", frozen=True, kw_only=True):
    """The host's key is dead: stop, and do not come back with it."""

    why: Line = ""


ServerMessage = (
    Welcome
    | Ack
    | LogAck
    | Offer
    | Underway
    | Cancel
    | Abandon
    | ClearFolders
    | SurveyNow
    | Probes
    | TryProbe
    | Admitted
    | Slots
    | Restart
    | Upgrade
    | PowerDown
    | WakeNeighbour
    | WatchServices
    | HeartbeatEvery
    | StillThere
    | TryService
    | Dismiss
)
