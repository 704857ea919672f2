"""The messages about attempts at jobs, and about the folders that they work in."""

from __future__ import annotations

from typing import Annotated

import msgspec
from msgspec import Meta

from .shared import MAX_CHUNK_BYTES, BoundTool, Count, ExitCode, FromAgent, FromServer, Line, Word

MAX_STEPS = 50
MAX_OUTPUTS = 1000
MAX_FOLDERS = 500
MAX_SCRIPT_BYTES = 256 * 1024

Path = Annotated[str, Meta(max_length=1000)]


# ---- server to agent -----------------------------------------------------------------------------------------------


class Checkout(msgspec.Struct, frozen=True, omit_defaults=True):
    """What a checkout step fetches with Git. ``commit`` is the one to have, "" for the newest of ``ref``; ``depth`` is
    how many commits of history, 0 for all. ``secret`` is the name of the offer's secret with ``user:password``."""

    url: Line
    ref: Word = ""
    commit: Word = ""
    depth: Count = 0
    submodules: bool = False
    clean: bool = False
    secret: Word = ""


class WireStep(msgspec.Struct, frozen=True, omit_defaults=True):
    """One step: a script in a shell, or a checkout. ``folder`` is below the work folder of the attempt; ``time_limit``
    is in seconds, 0 for none of its own. A step that runs ``always`` does so after a failure too."""

    name: Word
    script: Annotated[str, Meta(max_length=MAX_SCRIPT_BYTES)] = ""
    shell: Word = ""
    folder: Path = ""
    variables: Annotated[dict[Word, Line], Meta(max_length=200)] = msgspec.field(default_factory=dict)
    time_limit: Count = 0
    always: bool = False
    checkout: Checkout | None = None


class GivenSecret(msgspec.Struct, frozen=True, omit_defaults=True):
    """A secret, for this attempt only. It becomes a variable of this name unless only the checkout needs it."""

    name: Word
    value: Annotated[str, Meta(max_length=16 * 1024)]
    is_variable: bool = True


class Offer(FromServer, tag="offer", frozen=True, kw_only=True):
    """Run this. ``time_limit`` is in seconds, 0 for none; it takes so many of the host's ``slots``, 0 for a chore,
    which runs beside them; ``variables`` go into the environment. ``warm`` asks for a folder that its pipeline used
    before; ``outputs`` are patterns of files to keep; ``leaves_processes`` lets what it started live on."""

    attempt: Word
    job: Count
    name: Word
    pipeline: Word
    steps: Annotated[list[WireStep], Meta(min_length=1, max_length=MAX_STEPS)]
    time_limit: Count = 0
    tools: Annotated[list[BoundTool], Meta(max_length=200)] = msgspec.field(default_factory=list)
    slots: Annotated[int, Meta(ge=0, le=1000)] = 1
    variables: Annotated[dict[Word, Line], Meta(max_length=200)] = msgspec.field(default_factory=dict)
    secrets: Annotated[list[GivenSecret], Meta(max_length=100)] = msgspec.field(default_factory=list)
    outputs: Annotated[list[Path], Meta(max_length=100)] = msgspec.field(default_factory=list)
    warm: bool = False
    leaves_processes: bool = False


class Underway(FromServer, tag="underway", frozen=True, kw_only=True):
    """The server has this attempt for running: its steps may begin."""

    attempt: Word


class Cancel(FromServer, tag="cancel", frozen=True, kw_only=True):
    """End this attempt: its job was cancelled."""

    attempt: Word


class Abandon(FromServer, tag="abandon", frozen=True, kw_only=True):
    """Stop this attempt: the server gave up on it, and its result does not count."""

    attempt: Word


class ClearFolders(FromServer, tag="clear folders", frozen=True, kw_only=True):
    """Remove these work folders, or all where none is named, unless they are in use."""

    paths: Annotated[list[Path], Meta(max_length=MAX_FOLDERS)] = msgspec.field(default_factory=list)


# ---- agent to server -----------------------------------------------------------------------------------------------


class AttemptStarted(FromAgent, tag="started", frozen=True, kw_only=True):
    """The work begins: under which account, in which folder, ``warm`` where that was used before. Of its environment
    only the names are sent, and the values of a few that are not secret."""

    attempt: Word
    account: Word
    folder: Line
    at: float = 0.0
    warm: bool = False
    variable_names: Annotated[list[Word], Meta(max_length=1000)] = msgspec.field(default_factory=list, name="names")
    variable_values: dict[Word, Line] = msgspec.field(default_factory=dict, name="values")


class AttemptRefused(FromAgent, tag="refused", frozen=True, kw_only=True):
    """The offer is not taken."""

    attempt: Word
    why: Line


class StepBegan(FromAgent, tag="step began", frozen=True, kw_only=True):
    """The step with this number, from 0, begins; ``at`` is by the host's clock, in seconds since the epoch."""

    attempt: Word
    step: Count
    at: float


class StepEnded(FromAgent, tag="step ended", frozen=True, kw_only=True):
    """A step is over: exited, signalled, cancelled, timed out, not started, skipped or agent stopped. ``commit`` is
    what a checkout step has checked out."""

    attempt: Word
    step: Count
    outcome: Word
    at: float
    exit_code: ExitCode | None = None
    signal: Word = ""
    why: Line = ""
    commit: Word = ""


class LogChunk(FromAgent, tag="log", frozen=True, kw_only=True):
    """A piece of a step's output at ``offset`` bytes in the log; ``at`` is the time of reading. Only agents before
    protocol version 5 send it as a message, with the data in base64."""

    attempt: Word
    offset: Count
    data: Annotated[bytes, Meta(max_length=MAX_CHUNK_BYTES)]
    at: float = 0.0
    step: Count = 0


class OutputFile(msgspec.Struct, frozen=True, omit_defaults=True):
    """A file that is kept: its path in the attempt's folder with ``/``, its bytes and their hash."""

    path: Path
    size: Count
    sha256: Word


class Outputs(FromAgent, tag="outputs", frozen=True, kw_only=True):
    """The files that are kept of an attempt, which follow over HTTP; and why others are not."""

    attempt: Word
    files: Annotated[list[OutputFile], Meta(max_length=MAX_OUTPUTS)] = msgspec.field(default_factory=list)
    left_out: Annotated[list[Line], Meta(max_length=50)] = msgspec.field(default_factory=list)


class LeftoverProcess(msgspec.Struct, frozen=True, omit_defaults=True):
    """A process that outlived its attempt; ``ended`` where the agent put an end to it."""

    pid: Count
    name: Word
    ended: bool = False


class AttemptEnded(FromAgent, tag="ended", frozen=True, kw_only=True):
    """The attempt is over. ``outcome`` is one of exited, cancelled, timed out, not started, agent stopped. Processor
    time in seconds, peak memory in bytes: of all that it started, as far as that was seen."""

    attempt: Word
    outcome: Word
    exit_code: ExitCode | None = None
    why: Line = ""
    at: float = 0.0
    processor: float = 0.0
    memory: Count = 0
    leftover_processes: Annotated[list[LeftoverProcess], Meta(max_length=100)] = msgspec.field(
        default_factory=list, name="left"
    )


class FolderState(msgspec.Struct, frozen=True, omit_defaults=True):
    """One work folder: warm for its pipeline, or fresh of one attempt; times in seconds since the epoch."""

    path: Path
    kind: Word
    pipeline: Word = ""
    attempt: Word = ""
    size: Count = 0
    files: Count = 0
    used_at: float = 0.0
    in_use: bool = False


class WorkFolders(FromAgent, tag="folders", frozen=True, kw_only=True):
    """All work folders of this host, and what was removed since the last time, each with why."""

    folders: Annotated[list[FolderState], Meta(max_length=MAX_FOLDERS)]
    removed: Annotated[list[Line], Meta(max_length=MAX_FOLDERS)] = msgspec.field(default_factory=list)
