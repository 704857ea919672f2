"""What a pipeline file says, as values."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum

PRIORITIES = {"low": -10, "normal": 0, "high": 10, "urgent": 50}
"""Words for priorities. A pipeline file may say a number too."""

Pointer = tuple[str | int, ...]
"""Where in a file: keys and places, from the outermost."""


@dataclass(frozen=True)
class Checkout:
    """A commit of a repository. An empty ``url`` is the source that the file was read from, at its commit. ``depth`` is
    how many commits of history are fetched, 0 for all; ``secret`` is the name of one with ``user:password``."""

    url: str = ""
    ref: str = ""
    commit: str = ""
    depth: int = 0
    submodules: bool = False
    clean: bool = False
    secret: str = ""


@dataclass(frozen=True)
class WantedStep:
    """One step: a script, or a checkout. Its folder is below the work folder; its time is in seconds, 0 for none of its
    own."""

    name: str
    script: str = ""
    shell: str = ""
    folder: str = ""
    environment: Mapping[str, str] = field(default_factory=dict)
    time_limit: int = 0
    always: bool = False
    checkout: Checkout | None = None


@dataclass(frozen=True)
class WantedJob:
    """One job of a file, with the defaults taken in. ``lines`` are its terms and preferences as they were written, each
    with where it stands. Times are in seconds, 0 for none. With ``steps``, the script is empty; ``tests`` are
    patterns of JUnit XML files; a job with a warm folder comes back to where its pipeline worked before."""

    name: str
    lines: tuple[tuple[Pointer, str], ...]
    script: str
    shell: str = ""
    steps: tuple[WantedStep, ...] = ()
    secrets: tuple[str, ...] = ()
    tests: tuple[str, ...] = ()
    warm: bool = False
    slots: int = 1
    time_limit: int = 0
    retry_when_lost: int = 0
    priority: int = 0
    after: tuple[str, ...] = ()
    environment: Mapping[str, str] = field(default_factory=dict)
    outputs: tuple[str, ...] = ()
    waits_for_new_host: bool = False


@dataclass(frozen=True)
class PipelineFile:
    """A whole file. A job stands behind all that it comes after."""

    pipeline: str
    jobs: tuple[WantedJob, ...]


class Level(StrEnum):
    """How grave a remark is: with a mistake nothing is sent; the others are advice."""

    MISTAKE = "mistake"
    WARNING = "warning"
    NOTE = "note"


@dataclass(frozen=True)
class Remark:
    """One thing about a file. ``column`` is from the start of the term, from 1."""

    level: Level
    pointer: Pointer
    sentence: str
    column: int | None = None
    nearest: str | None = None


class FileMistakes(ValueError):
    """A file from which no job can be made; ``remarks`` say all that is wrong."""

    def __init__(self, remarks: list[Remark]) -> None:
        self.remarks = remarks
        super().__init__("; ".join(one.sentence for one in remarks[:5]))
