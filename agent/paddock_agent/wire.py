"""The messages between agent and server: their only definition, which both sides speak.

Each message is one JSON object in one WebSocket text frame, at most ``LARGEST_MESSAGE`` bytes, with its kind in
``type``. Strings and lists are bounded here, so that whatever decodes is of a size that can be handled.

The agent's messages that must not be lost carry ``seq``, counted up by one from 1 for each spool; the server answers
with ``Ack`` once it has taken them in. Unacknowledged ones are sent again after a reconnect, so the server takes each
of them in a way that makes a repeat harmless.
"""

from __future__ import annotations

from typing import Annotated, TypeVar

import msgspec
from msgspec import Meta

from .errors import BadMessage
from .limits import LONGEST_WORK_FOLDER as LONGEST_WORK_FOLDER  # both sides go by these
from .limits import default_slots as default_slots
from .limits import folder_trouble as folder_trouble
from .services.diagnosis import diagnose as diagnose  # the server says it in the same words
from .services.port import Cause as Cause
from .services.port import ServiceState as ServiceState

VERSION = 1
"""The version of this protocol. A server refuses an agent that speaks a newer one."""

LARGEST_MESSAGE = 1024 * 1024
LARGEST_CHUNK = 32 * 1024

Word = Annotated[str, Meta(max_length=200)]
Line = Annotated[str, Meta(max_length=2000)]
Count = Annotated[int, Meta(ge=0, le=2**53)]

LARGEST_WATCH_REPORT = 32 * 1024
MOST_SERVICES = 50
"""Watched services of one host."""


class Difference(msgspec.Struct, frozen=True, omit_defaults=True):
    """A variable in which the agent's environment differs from that of a fresh log-in: of ``PATH``, ``fresh`` has the
    folders that the agent's lacks."""

    name: Word
    now: Line = ""
    fresh: Line = ""


class Facts(msgspec.Struct, frozen=True, omit_defaults=True):
    """What the host itself is. Sizes in bytes; ``os`` and ``arch`` in the words of the terms."""

    os: Word
    os_version: Word = ""
    os_name: Word = ""
    arch: Word = ""
    hostname: Word = ""
    user: Word = ""
    cores: Count = 0
    memory: Count = 0
    disk_total: Count = 0
    disk_free: Count = 0
    work_folder: Line = ""
    agent_version: Word = ""
    kept_by: Word = ""
    """What keeps the agent running: the name of its service, or "" where it was started by hand."""
    machine: Word = ""
    """What tells this machine from others: a hash of the system's own machine id, "" where there is none."""
    differs: Annotated[list[Difference], Meta(max_length=100)] = msgspec.field(default_factory=list)
    """Where the agent's environment is older than the machine's."""
    boot: Word = ""
    """What tells this run of the machine, since it was last started, from others."""


class Installation(msgspec.Struct, frozen=True, omit_defaults=True):
    """One version of one tool at one place. ``plain`` is true for the one that the bare command would get;
    ``evidence`` is the command that was run and the line that it answered with."""

    tool: Word
    version: Word
    path: Line
    home: Line = ""
    plain: bool = False
    evidence: Line = ""


class Broken(msgspec.Struct, frozen=True, omit_defaults=True):
    """A tool that is on the disk, but did not answer as it should."""

    tool: Word
    path: Line
    why: Line


class BoundTool(msgspec.Struct, frozen=True, omit_defaults=True):
    """An installation that a job's tool term is bound to. A ``plain`` one is what the bare command gets anyway."""

    tool: Word
    version: Word
    path: Line
    home: Line = ""
    plain: bool = False


# ---- agent to server -------------------------------------------------------------------------------------------------


class FromAgent(msgspec.Struct, frozen=True, tag_field="type", omit_defaults=True):
    """What all of the agent's messages have: ``seq`` is 0 for those that may be lost."""

    seq: Count = 0


class Hello(FromAgent, tag="hello", frozen=True, kw_only=True):
    """The first message of every connection. ``attempts`` are those that run here or whose end is not yet told."""

    protocol: int
    facts: Facts
    attempts: Annotated[list[Word], Meta(max_length=2000)]
    certificate_ends: float | None = None
    """When the server's certificate ends, as this host sees it: seconds since the epoch. None without TLS."""


class Heartbeat(FromAgent, tag="heartbeat", frozen=True, kw_only=True):
    """I am here, with what was read just now. Sizes in bytes, times in seconds; what cannot be learnt is left out.

    The numbers are not bounded here: one that cannot be is left out by the server, and found, but cuts nobody off.
    """

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
    work_trouble: Line = ""
    """Why jobs cannot run in the work folder now, "" where they can."""


class WatchedState(msgspec.Struct, frozen=True, omit_defaults=True):
    """A watched service: ``running`` is running, stopped, failed, trying again, missing or unknown."""

    name: Word
    running: Word
    said: Line = ""


class WatchedServices(FromAgent, tag="services", frozen=True, kw_only=True):
    """How the services that builds need are, all of them, whenever one has changed."""

    states: Annotated[list[WatchedState], Meta(max_length=MOST_SERVICES)]


class ServiceTried(FromAgent, tag="service tried", frozen=True, kw_only=True):
    """A watched service was started or stopped as asked, or ``why`` not, with commands that would let it."""

    name: Word
    verb: Word
    why: Line = ""
    remedy: Annotated[list[Line], Meta(max_length=10)] = msgspec.field(default_factory=list)


class SurveyReport(FromAgent, tag="survey", frozen=True, kw_only=True):
    """What the survey found. ``took`` is in seconds."""

    facts: Facts
    installations: Annotated[list[Installation], Meta(max_length=2000)]
    broken: Annotated[list[Broken], Meta(max_length=2000)] = msgspec.field(default_factory=list)
    took: float = 0.0


class AttemptStarted(FromAgent, tag="started", frozen=True, kw_only=True):
    """The script runs: under which account, in which folder."""

    attempt: Word
    account: Word
    folder: Line


class AttemptRefused(FromAgent, tag="refused", frozen=True, kw_only=True):
    """The offer is not taken."""

    attempt: Word
    why: Line


class LogChunk(FromAgent, tag="log", frozen=True, kw_only=True):
    """A piece of what the script printed, as bytes (base64 on the wire), at ``offset`` bytes from the log's start."""

    attempt: Word
    offset: Count
    data: Annotated[bytes, Meta(max_length=LARGEST_CHUNK)]


class AttemptEnded(FromAgent, tag="ended", frozen=True, kw_only=True):
    """The attempt is over. ``outcome`` is one of exited, cancelled, timed out, not started, agent stopped."""

    attempt: Word
    outcome: Word
    exit_code: int | None = None
    why: Line = ""


class Goodbye(FromAgent, tag="goodbye", frozen=True, kw_only=True):
    """The agent was stopped on purpose."""

    why: Line = ""


AgentMessage = (
    Hello
    | Heartbeat
    | WatchedServices
    | ServiceTried
    | SurveyReport
    | AttemptStarted
    | AttemptRefused
    | LogChunk
    | AttemptEnded
    | Goodbye
)


# ---- server to agent -------------------------------------------------------------------------------------------------


class FromServer(msgspec.Struct, frozen=True, tag_field="type", omit_defaults=True):
    """What all of the server's messages have in common: nothing yet."""


class Welcome(FromServer, tag="welcome", frozen=True, kw_only=True):
    """The answer to Hello. ``heartbeat`` is in seconds."""

    host: Word
    admitted: bool
    slots: Annotated[int, Meta(ge=1, le=1000)]
    heartbeat: float
    services: Annotated[list[Word], Meta(max_length=MOST_SERVICES)] = msgspec.field(default_factory=list)
    """The services that are watched."""


class Ack(FromServer, tag="ack", frozen=True, kw_only=True):
    """Everything up to and including ``seq`` has been taken in."""

    seq: Count


class Offer(FromServer, tag="offer", frozen=True, kw_only=True):
    """Run this. ``time_limit`` is in seconds, 0 for none; ``variables`` go into the script's environment."""

    attempt: Word
    job: Count
    name: Word
    pipeline: Word
    script: Annotated[str, Meta(max_length=256 * 1024)]
    shell: Word = ""
    time_limit: Count = 0
    tools: Annotated[list[BoundTool], Meta(max_length=200)] = msgspec.field(default_factory=list)


class Cancel(FromServer, tag="cancel", frozen=True, kw_only=True):
    """End this attempt: its job was cancelled."""

    attempt: Word


class Abandon(FromServer, tag="abandon", frozen=True, kw_only=True):
    """Stop this attempt: the server gave up on it, and its result does not count."""

    attempt: Word


class SurveyNow(FromServer, tag="survey now", frozen=True, kw_only=True):
    """Survey the host and report."""


class Admitted(FromServer, tag="admitted", frozen=True, kw_only=True):
    """A person let the host in."""


class Slots(FromServer, tag="slots", frozen=True, kw_only=True):
    """From now on this many jobs at a time; what runs above that may finish."""

    slots: Annotated[int, Meta(ge=1, le=1000)]


class Restart(FromServer, tag="restart", frozen=True, kw_only=True):
    """Finish what runs, take nothing new, and start afresh: with the environment that a log-in would have now."""


class WatchServices(FromServer, tag="watch services", frozen=True, kw_only=True):
    """From now on these services are watched."""

    services: Annotated[list[Word], Meta(max_length=MOST_SERVICES)]


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
    | Offer
    | Cancel
    | Abandon
    | SurveyNow
    | Admitted
    | Slots
    | Restart
    | WatchServices
    | TryService
    | Dismiss
)


# ---- joining (HTTP) --------------------------------------------------------------------------------------------------


class JoinRequest(msgspec.Struct, frozen=True):
    """POST /agent/v1/join. ``secret`` is the entry pass. An empty ``name`` means the machine's own; empty ``labels``
    or ``slots`` 0 mean those of the pass."""

    secret: Line
    facts: Facts
    name: Word = ""
    labels: Annotated[list[Word], Meta(max_length=100)] = msgspec.field(default_factory=list)
    slots: Annotated[int, Meta(ge=0, le=1000)] = 0
    sheet: Word = ""
    """The bring-up sheet that this machine follows, "" for none."""


class JoinAnswer(msgspec.Struct, frozen=True):
    """The agent's own key, shown this once, and under which name and where it now stands."""

    key: Line
    host: Word
    paddock: Word
    admitted: bool
    slots: int


class Checked(msgspec.Struct, frozen=True, omit_defaults=True):
    """One check of the preflight. ``mark`` is ok, mind (goes on, but should be known) or missing."""

    name: Word
    mark: Word
    found: Line = ""
    why: Line = ""
    remedy: Annotated[list[Line], Meta(max_length=10)] = msgspec.field(default_factory=list)


class StepReport(msgspec.Struct, frozen=True, omit_defaults=True):
    """POST /agent/v1/bring-up: how far a machine is with its bring-up. ``mark`` is begun, done or failed. No pass and
    no key: the sheet's code allows to report to that sheet, and nothing else."""

    sheet: Word
    step: Word
    mark: Word
    hostname: Word = ""
    found: Line = ""
    remedy: Annotated[list[Line], Meta(max_length=10)] = msgspec.field(default_factory=list)
    checks: Annotated[list[Checked], Meta(max_length=50)] = msgspec.field(default_factory=list)


class PassQuestion(msgspec.Struct, frozen=True, omit_defaults=True):
    """POST /agent/v1/ask: would a pass and a name be taken now? Nothing is used up by asking."""

    secret: Line
    name: Word = ""
    hostname: Word = ""
    sheet: Word = ""


class PassAnswer(msgspec.Struct, frozen=True):
    """Yes: into this paddock, under this name. A no is a problem with its sentence."""

    paddock: Word
    name: Word
    gate: bool


# ---- the watch (HTTP) ------------------------------------------------------------------------------------------------


class WatchKey(msgspec.Struct, frozen=True):
    """The answer to POST /agent/v1/watch-key, which is asked with the agent's key: a key that may report, and nothing
    else. It replaces the one before. ``every`` is how many seconds lie between reports."""

    key: Line
    every: Annotated[int, Meta(ge=1, le=3600)]


class WatchReport(msgspec.Struct, frozen=True, omit_defaults=True):
    """POST /agent/v1/watch: the agent's service as its manager sees it. ``boot`` is as in Facts, ``uptime`` in seconds.

    ``on_purpose``: it was stopped by the agent's own command. ``started``: the watch has just started it.
    ``starts_left``: how often it may still do so within the hour. ``why_absent``: there is no manager to ask.
    """

    host: Word
    at: float
    state: ServiceState
    boot: Word = ""
    uptime: float = 0.0
    on_purpose: bool = False
    started: bool = False
    starts_left: Count = 0
    why_absent: Line = ""


class WatchAnswer(msgspec.Struct, frozen=True):
    """``start``: the service should run, and the watch may start it. ``asked``: a person asks for it now, so that it
    does not matter whether it was stopped on purpose, or how often it was started."""

    start: bool = False
    asked: bool = False


# ---- coding ----------------------------------------------------------------------------------------------------------

_FROM_AGENT: msgspec.json.Decoder[AgentMessage] = msgspec.json.Decoder(AgentMessage)
_FROM_SERVER: msgspec.json.Decoder[ServerMessage] = msgspec.json.Decoder(ServerMessage)
_ENCODER = msgspec.json.Encoder()

_Struct = TypeVar("_Struct", bound=msgspec.Struct)


def encode(message: msgspec.Struct) -> bytes:
    """The bytes of one message. Raises BadMessage where they are more than the other side takes."""
    data = _ENCODER.encode(message)
    if len(data) > LARGEST_MESSAGE:
        raise BadMessage(f"a message of {len(data)} bytes is over the limit of {LARGEST_MESSAGE}")
    return data


def from_agent(data: bytes | str) -> AgentMessage:
    """Reads a message of an agent. Raises BadMessage."""
    return _decode(_FROM_AGENT, data)


def from_server(data: bytes | str) -> ServerMessage:
    """Reads a message of the server. Raises BadMessage."""
    return _decode(_FROM_SERVER, data)


def read_as(kind: type[_Struct], data: bytes) -> _Struct:
    """Reads a bare struct, such as a JoinRequest. Raises BadMessage."""
    return _decode(msgspec.json.Decoder(kind), data)


_Decoded = TypeVar("_Decoded")


def _decode(decoder: msgspec.json.Decoder[_Decoded], data: bytes | str) -> _Decoded:
    if len(data) > LARGEST_MESSAGE:
        raise BadMessage(f"a message of {len(data)} bytes is over the limit of {LARGEST_MESSAGE}")
    try:
        return decoder.decode(data)
    except (msgspec.DecodeError, RecursionError) as error:
        raise BadMessage(f"not a message of this protocol: {error}") from None
