"""Hosts that meet a kit, as a change that can be rehearsed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import ClassVar

from ..fleet import Host, InstalledTool
from ..kits import standing
from ..terms import LabelTerm, Term, ToolTerm
from ..verdicts import verdict
from .host_changes import changed_hosts, listed
from .more_runs import ChangeError
from .rehearsal import Setting


@dataclass(frozen=True)
class MeetKit:
    """Hosts that get the tools and labels of a kit which they lack, in the versions that other hosts have. ``terms``
    are those of the kit."""

    kind: ClassVar[str] = "meet a kit"
    hosts: tuple[str, ...]
    kit: str
    terms: tuple[Term, ...] = ()

    @property
    def sentence(self) -> str:
        return f"kit {self.kit} on {listed(self.hosts)}"

    def apply(self, setting: Setting, seed: int) -> Setting:
        def change(host: Host) -> Host:
            for term in self.terms:
                if not verdict(term, host).holds:
                    host = self._with(term, host, setting.hosts)
            left = [self.terms[place] for place, _ in standing(self.terms, host).lacking]
            if left:
                raise ChangeError(f"{host.name} cannot get `{left[0]}` by installing something.")
            return host

        return changed_hosts(setting, self.hosts, change)

    def _with(self, term: Term, host: Host, fleet: Sequence[Host]) -> Host:
        if isinstance(term, LabelTerm):
            return replace(host, labels=host.labels | {term.name})
        if not isinstance(term, ToolTerm):
            return host
        found = _installed_elsewhere(term, fleet)
        if found is None:
            raise ChangeError(f"No host has `{term}`, so its version is not known. Install the tool instead.")
        return replace(host, installations=(*host.installations, found))


def _installed_elsewhere(term: ToolTerm, fleet: Sequence[Host]) -> InstalledTool | None:
    """The installation that most hosts have of those that meet the term."""
    counts: dict[str, tuple[int, InstalledTool]] = {}
    for other in fleet:
        for one in other.installed(term.name):
            if verdict(term, replace(other, installations=(one,))).holds:
                counts[one.version] = (counts.get(one.version, (0, one))[0] + 1, one)
    return max(counts.values(), key=lambda pair: (pair[0], pair[1].version))[1] if counts else None
