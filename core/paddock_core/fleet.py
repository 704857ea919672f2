"""What the core knows of a host when it decides: plain values, taken from the survey and the link."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from functools import cached_property, lru_cache

from . import versions
from .errors import VersionError
from .versions import Version


@dataclass(frozen=True)
class InstalledTool:
    """One version of one tool at one place. ``plain`` is true for the one that the bare command gets on its host."""

    tool: str
    version: str
    path: str
    home: str = ""
    plain: bool = False
    scheme: str = "generic"

    @cached_property
    def ordered(self) -> Version | None:
        """The version as an ordered value, or None where what the tool printed cannot be ordered."""
        return self.ordered_by(self.scheme)

    def ordered_by(self, scheme: str) -> Version | None:
        """The same by another scheme: that of a range which was read before the catalogue changed."""
        return _read(self.version, scheme)


class Readiness(StrEnum):
    """Whether a host could take one more job now, and if not, the first thing in the way."""

    FREE = "free"
    BUSY = "busy"
    HELD = "held"
    DRAINING = "draining"
    REFUSING = "refusing"
    UNABLE = "unable to work"
    AT_THE_GATE = "at the gate"
    STOPPED = "stopped"
    LOST = "lost"
    NEVER_SEEN = "never seen"
    GOING_DOWN = "going down"
    ASLEEP = "asleep"
    WAKING = "waking"


@dataclass(frozen=True)
class Host:
    """One host as the terms see it. ``labels`` are lower case; ``free_slots`` is what is left of its ``slots`` now.

    ``services`` are its watched services, lower case, with how each is. Sizes are in bytes, 0 or None where they are
    not known. ``variables`` are set in its agent's environment; of some the ``values`` are known too. ``held`` says by
    whom and why, while it is held; ``broken`` says of each tool that is there but could not be asked why; ``unable``
    what failed when its agent tried whether it can work; ``waking`` when one that is being woken is usually up. A
    ``reserved`` one takes only jobs that ask for one of its labels. One at the gate may be ``connected`` or not.
    """

    name: str
    paddock: str
    os: str
    os_version: str
    arch: str
    labels: frozenset[str] = frozenset()
    installations: tuple[InstalledTool, ...] = ()
    readiness: Readiness = Readiness.FREE
    free_slots: int = 1
    surveyed: bool = True
    services: Mapping[str, str] = field(default_factory=dict)
    slots: int = 1
    cores: int = 0
    memory: int = 0
    disk_free: float | None = None
    disk_total: float = 0.0
    display: str = ""
    variables: frozenset[str] = frozenset()
    values: Mapping[str, str] = field(default_factory=dict)
    groups: frozenset[str] = frozenset()
    reserved: bool = False
    held: str = ""
    unable: str = ""
    waking: str = ""
    connected: bool = True
    broken: Mapping[str, str] = field(default_factory=dict)

    @property
    def is_ready(self) -> bool:
        """Whether it takes jobs, now or as soon as a slot is free."""
        return self.readiness in (Readiness.FREE, Readiness.BUSY)

    @property
    def is_admitted(self) -> bool:
        return self.readiness is not Readiness.AT_THE_GATE

    def installed(self, tool: str) -> Sequence[InstalledTool]:
        """The installations of one tool: the plain one, then the newest first; unreadable versions last."""
        return self._by_tool.get(tool, ())

    @property
    def tools(self) -> Collection[str]:
        """The tools that it has."""
        return self._by_tool.keys()

    @cached_property
    def _by_tool(self) -> dict[str, list[InstalledTool]]:
        found: dict[str, list[InstalledTool]] = {}
        for one in self.installations:
            found.setdefault(one.tool, []).append(one)
        for several in found.values():
            if len(several) > 1:
                several.sort(key=_rank, reverse=True)
        return found


@lru_cache(maxsize=50_000)
def _read(text: str, scheme: str) -> Version | None:
    """Many hosts have the same versions."""
    try:
        return versions.parse(text, scheme)
    except VersionError:
        return None


def _rank(one: InstalledTool) -> tuple[bool, bool, Version | None]:
    # Readable and unreadable versions are never compared with each other: the second part separates them.
    return one.plain, one.ordered is not None, one.ordered
