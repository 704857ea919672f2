"""How far an upgrade of this host is: a small file in the watch's folder, which only the administrator can read. It is
written before each step, so that whoever goes on after a power cut knows which one was begun."""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass, replace
from enum import StrEnum

from ..system import System
from ..system.paths import paths_of

FILE = "upgrade.json"
MAX_LINES, MAX_LINE_LENGTH = 20, 300


class UpgradeStep(StrEnum):
    """``KEPT`` and ``LEFT_OUT``: it ended before the switch, and the old version never stopped; in the second case
    nothing speaks against the new one."""

    ASKED = "asked"
    INSTALLING = "installing"
    DRAINING = "draining"
    SWITCHED = "switched"
    PROVEN = "proven"
    WENT_BACK = "went back"
    KEPT = "kept"
    LEFT_OUT = "left out"


OVER = frozenset({UpgradeStep.PROVEN, UpgradeStep.WENT_BACK, UpgradeStep.KEPT, UpgradeStep.LEFT_OUT})


@dataclass(frozen=True)
class Progress:
    """``before`` and ``to`` are the folders of the two versions; ``was_there``: the second was installed already.
    ``starts`` counts how often the unit was started for it; ``is_restarted``: the service was, after the switch. The
    new version has ``limit`` seconds to prove itself; at ``overdue_at`` (seconds since the epoch) the watch stops
    waiting for the unit. The first ``words_before`` characters of the agent's last words are the old version's. ``why``
    and ``evidence`` say why it went back. ``is_told``: the server has confirmed the end."""

    order: int
    step: UpgradeStep = UpgradeStep.ASKED
    before: str = ""
    to: str = ""
    version: str = ""
    was_there: bool = False
    starts: int = 0
    limit: float = 0.0
    is_restarted: bool = False
    overdue_at: float = 0.0
    words_before: int = 0
    why: str = ""
    evidence: tuple[str, ...] = ()
    is_told: bool = False

    @property
    def is_over(self) -> bool:
        """Whether nothing more happens on this host."""
        return self.step in OVER

    def ended(self, step: UpgradeStep, why: str = "", evidence: tuple[str, ...] = ()) -> Progress:
        """The same at its end."""
        lines = tuple(line[:MAX_LINE_LENGTH] for line in evidence[-MAX_LINES:])
        return replace(self, step=step, why=why[:2000], evidence=lines, is_told=False)


def file_in(system: System, folder: str) -> str:
    """The file's path in the watch's ``folder``."""
    path: str = paths_of(system).join(folder, FILE)
    return path


def read_progress(system: System, folder: str) -> Progress | None:
    """The upgrade that is under way or was the last; None where there was none, or its file cannot be read."""
    text = system.read_text(file_in(system, folder))
    try:
        known = json.loads(text or "")
        fields = {name: value for name, value in known.items() if name in Progress.__dataclass_fields__}
        fields["evidence"] = tuple(map(str, fields.get("evidence", ())))
        return Progress(**{**fields, "step": UpgradeStep(fields.get("step", "asked"))})
    except (ValueError, TypeError, AttributeError, RecursionError):
        return None


def save_progress(system: System, folder: str, progress: Progress) -> Progress:
    """Writes it, whole or not at all. Raises CommandFailed."""
    system.write_text(file_in(system, folder), json.dumps(asdict(progress)), 0o600)
    return progress


def remove_new(system: System, progress: Progress) -> None:
    """Removes the folder of a version that did not stay, unless it was there before."""
    if progress.to and not progress.was_there and progress.to != progress.before:
        system.remove_folder(progress.to)
