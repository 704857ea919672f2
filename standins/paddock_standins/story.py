"""The demo's stories: each puts one thing into the demo, and knows by itself what of it is there already.

So a story may run again after an interruption, and completes what is missing. It waits for what it
needs, not for a time; only where nothing has come of it for PATIENCE seconds has it failed, and the others go on.
"""

from __future__ import annotations

import time
from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from .api_client import Api, ApiError
from .parts import DemoFailed

PATIENCE = 900.0
"""Seconds. A busy machine takes its time; the demo can be used before it ends."""
REST = 0.3


class StoryFailed(Exception):
    """What a story waits for does not come."""


@dataclass(frozen=True)
class Stage:
    """The stage of the stories. ``folder`` is the demo's own, ``url`` the server's address; ``git`` and ``webhook`` are
    those of the stand-ins for them. ``paste`` types a line into a machine's terminal; ``paddock`` runs the server's
    command; ``check`` raises DemoFailed where a part of the demo has ended."""

    api: Api
    folder: Path
    url: str
    git: str
    webhook: str
    paste: Callable[[str, str], None]
    paddock: Callable[..., str]
    check: Callable[[], None]

    @property
    def repositories(self) -> Path:
        """The folder with the demo's Git repositories."""
        return self.folder / "repositories"

    def wait_for(self, what: str, is_so: Callable[[], bool]) -> None:
        """Returns once it is so. Raises StoryFailed where it does not come, and DemoFailed."""
        ends = time.monotonic() + PATIENCE
        while not is_so():
            self.check()
            if time.monotonic() > ends:
                raise StoryFailed(f"waited {PATIENCE:g} s for {what}")
            time.sleep(REST)

    def jobs(self) -> list[Any]:
        """All jobs, the oldest first."""
        found: list[Any] = self.api.get("/api/v1/jobs/?page_size=1000")["results"]
        return sorted(found, key=lambda one: int(one["id"]))

    def job(self, number: int) -> Any:
        """One job."""
        return self.api.get(f"/api/v1/jobs/{number}/")

    def send_missing(self, wanted: Sequence[Mapping[str, Any]]) -> list[Any]:
        """Sends those jobs that are not there yet, by pipeline and name; all of them as they are then, in order."""
        there: dict[tuple[str, str], list[Any]] = {}
        for job in self.jobs():
            there.setdefault((job["pipeline"], job["name"]), []).append(job)
        found = []
        for job in wanted:
            alike = there.get((job["pipeline"], job["name"]), [])
            found.append(alike.pop(0) if alike else self.api.post("/api/v1/jobs/", job))
        return found

    def make_missing(
        self, address: str, wanted: Iterable[Mapping[str, Any]], key: str, list_key: str = "results"
    ) -> None:
        """Makes those things that are not there yet, by what ``key`` says of each; ``list_key`` is where the list
        stands in the answer."""
        there = Counter(one[key] for one in self.api.get(address)[list_key])
        for one in wanted:
            if not there[one[key]]:
                self.api.post(address, one)


@dataclass(frozen=True)
class Story:
    """``tell`` puts it into the demo, or completes it."""

    name: str
    tell: Callable[[Stage], None]


def tell_all(stories: Sequence[Story], stage: Stage, say: Callable[[str], None]) -> list[str]:
    """Tells them in order, and says how far that is; the names of those that failed. Raises DemoFailed where a part of
    the demo has ended: then nothing can go on."""
    failed = []
    for number, story in enumerate(stories, 1):
        began = time.monotonic()
        say(f"  [{number}/{len(stories)}] {story.name} …")
        try:
            story.tell(stage)
        except (StoryFailed, DemoFailed, ApiError, OSError, KeyError, ValueError) as error:
            stage.check()
            failed.append(story.name)
            say(f"  [{number}/{len(stories)}] {story.name}: failed, the rest goes on: {error}")
        else:
            if (took := time.monotonic() - began) > 2:
                say(f"  [{number}/{len(stories)}] {story.name}: there after {took:.0f} s")
    return failed
