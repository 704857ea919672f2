"""What several messages have: bounded strings, what a host is, what is installed on it."""

from __future__ import annotations

from typing import Annotated

import msgspec
from msgspec import Meta

VERSION = 7
"""The version of this protocol. A server sends an older agent nothing that is newer than it. 2: an attempt waits for
Underway. 3: the agent answers StillThere. 4: the agent tries whether it can work. 5: logs come in binary frames, and an
Ack is for one message. 6: the agent nudges its watch when the server sends Upgrade. 7: the agent
powers its host down, and wakes others."""
OLDEST = VERSION - 2
"""The oldest version that a server speaks. It refuses agents that are older, or newer than itself."""

MAX_MESSAGE_BYTES = 1024 * 1024
MAX_CHUNK_BYTES = 128 * 1024

MAX_NETWORKS = 32

Word = Annotated[str, Meta(max_length=200)]
Line = Annotated[str, Meta(max_length=2000)]
ExitCode = Annotated[int, Meta(ge=-(2**31), le=2**32)]
"""Of a process: unsigned 32 bits on Windows; a signal is its negative number."""
Count = Annotated[int, Meta(ge=0, le=2**53)]

MAX_WATCH_REPORT_BYTES = 32 * 1024
MAX_FOUND = 2000
"""Installations in one survey."""
MAX_MARKS = 20
"""Requests that one survey answers."""
MAX_SERVICES = 50
"""Watched services of one host."""


class FromAgent(msgspec.Struct, frozen=True, tag_field="type", omit_defaults=True):
    """What all of the agent's messages have: ``seq`` is 0 for those that may be lost."""

    seq: Count = 0


class FromServer(msgspec.Struct, frozen=True, tag_field="type", omit_defaults=True):
    """What all of the server's messages have in common: nothing yet."""


class FailedPart(msgspec.Struct, frozen=True, omit_defaults=True):
    """Something that a job needs and that failed when the agent tried it: the system's own message, and facts that
    help to mend it."""

    part: Word
    why: Line
    facts: Annotated[dict[Word, Line], Meta(max_length=30)] = msgspec.field(default_factory=dict)


FailedParts = Annotated[list[FailedPart], Meta(max_length=20)]


class Difference(msgspec.Struct, frozen=True, omit_defaults=True):
    """A variable in which the agent's environment differs from that of a fresh log-in: of ``PATH``, ``fresh`` has the
    folders that the agent's lacks."""

    name: Word
    now: Line = ""
    fresh: Line = ""


class Network(msgspec.Struct, frozen=True, omit_defaults=True):
    """One of the host's network cards in one IPv4 network. ``hardware`` is its hardware address in lower case with
    colons, ``broadcast`` the address that reaches every machine of that network."""

    hardware: Word
    address: Word
    broadcast: Word


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
    python: Word = ""
    """The version of the Python that the agent runs with; an upgrade is installed with the same one."""
    networks: Annotated[list[Network], Meta(max_length=MAX_NETWORKS)] = msgspec.field(default_factory=list)


class FoundInstallation(msgspec.Struct, frozen=True, omit_defaults=True):
    """One version of one tool at one place. ``plain`` is true for the one that the bare command would get;
    ``evidence`` is the command and the line of its answer, ``output`` its first lines. ``exit_code`` is None
    where nothing was run: a list of the system named the version. ``also`` are other paths that lead to it."""

    tool: Word
    version: Word
    path: Line
    home: Line = ""
    plain: bool = False
    evidence: Line = ""
    exit_code: ExitCode | None = None
    output: Line = msgspec.field(default="", name="said")
    also: Annotated[list[Line], Meta(max_length=20)] = msgspec.field(default_factory=list)


class Broken(msgspec.Struct, frozen=True, omit_defaults=True):
    """A tool that is on the disk, but cannot be run, or did not answer as it should: why, and its output."""

    tool: Word
    path: Line
    why: Line
    exit_code: ExitCode | None = None
    output: Line = msgspec.field(default="", name="said")


class Details(msgspec.Struct, frozen=True, omit_defaults=True):
    """Details of the host beside its facts, from a survey. "" means unknown.

    Of environment variables only the names are sent, and the ``values`` of a few that are not secret.
    """

    build: Word = ""
    """Of the system: a kernel's release, or a build number."""
    processor: Word = ""
    features: Annotated[list[Word], Meta(max_length=200)] = msgspec.field(default_factory=list)
    display: Word = ""
    """Where a program could open a window: the display, or "none"."""
    groups: Annotated[list[Word], Meta(max_length=500)] = msgspec.field(default_factory=list)
    """Of the account that the agent runs under."""
    restart_pending: Word = ""
    """Why the machine wants to be restarted, "no" where it does not."""
    packages_updated: float | None = None
    """When the system's packages were last changed, in seconds since the epoch."""
    variables: Annotated[list[Word], Meta(max_length=1000)] = msgspec.field(default_factory=list)
    values: dict[Word, Line] = msgspec.field(default_factory=dict)


class BoundTool(msgspec.Struct, frozen=True, omit_defaults=True):
    """An installation that a job's tool term is bound to. A ``plain`` one is what the bare command gets anyway."""

    tool: Word
    version: Word
    path: Line
    home: Line = ""
    plain: bool = False
