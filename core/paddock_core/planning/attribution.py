"""What each change of a rehearsal costs whom: all changes together against all but that one."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict
from typing import Any

import numpy as np

from .changes import Change, apply_all
from .comparison import blocks, difference, sentence
from .more_runs import ChangeError
from .past import Past
from .rehearsal import Rehearsed, Setting

MAX_ATTRIBUTED = 6
"""With more changes, the plays that this takes would be too many."""
MAX_PIPELINES = 8


def plays_needed(changes: int) -> int:
    """The number of plays that ``effects`` takes."""
    return changes if 2 <= changes <= MAX_ATTRIBUTED else 0


def effects(
    setting: Setting,
    changes: tuple[Change, ...],
    whole: tuple[Past, Rehearsed],
    play: Callable[[Setting], Rehearsed],
    seed: int,
) -> list[dict[str, Any]]:
    """For each change, the pipelines whose waits it surely changes, the largest first; and how many more of the jobs
    never run because of it. ``whole`` is the play of all changes. ``why`` says where a change cannot be left out, since
    another one needs it. Empty for a single change, and for too many."""
    found: list[dict[str, Any]] = []
    past, played = whole
    for at in range(plays_needed(len(changes))):
        row: dict[str, Any] = {"sentence": changes[at].sentence, "pipelines": [], "never": 0, "why": ""}
        found.append(row)
        try:
            others = apply_all(setting, [*changes[:at], *changes[at + 1 :]], seed)
        except ChangeError as error:
            row["why"] = f"Another change needs it: {error}"
            continue
        without = play(others)
        row["never"] = int(np.isnan(played.placed).sum()) - int(np.isnan(without.placed).sum())
        for name in past.pipelines:
            mine, theirs = past.of_pipeline(name), others.past.of_pipeline(name)
            if not mine.any() or not theirs.any():
                continue
            one = difference(
                without.waits[theirs], blocks(others.past.sent)[theirs], played.waits[mine],
                blocks(past.sent)[mine], seed,
            )  # fmt: skip
            if one.is_certain and one.change is not None:
                row["pipelines"].append({"name": name, "sentence": sentence(name, one), "change": asdict(one.change)})
        row["pipelines"] = sorted(row["pipelines"], key=lambda one: -abs(one["change"]["value"]))[:MAX_PIPELINES]
    return found
