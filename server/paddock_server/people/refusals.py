"""Writes into the logbook what people were refused: once in a while for each, since a page that asks for something it
may not have asks again and again."""

from __future__ import annotations

import logging
import threading
import time

from ..logbook.write import write
from ..process.state import part
from ..rest.refusals import Refusal
from ..storage import action
from .actor import SERVER

AGAIN_AFTER_SECONDS = 600.0
MAX_REMEMBERED = 2_000
log = logging.getLogger("paddock.people")


class _Recent:
    def __init__(self) -> None:
        self.lock = threading.Lock()
        self.last: dict[Refusal, float] = {}


def note_refusal(refusal: Refusal) -> None:
    """The answer to the person does not hang on it."""
    if _is_new(refusal):
        try:
            _write(refusal)
        except Exception:
            log.exception("A refusal could not be written into the logbook.")


def _is_new(refusal: Refusal) -> bool:
    recent, now = part(_Recent), time.monotonic()
    with recent.lock:
        recent.last = {one: at for one, at in recent.last.items() if now - at < AGAIN_AFTER_SECONDS}
        if refusal in recent.last or len(recent.last) >= MAX_REMEMBERED:
            return False
        recent.last[refusal] = now
        return True


@action
def _write(refusal: Refusal) -> None:
    details = {"why": refusal.detail[:300], "role": refusal.role}
    write(SERVER, "refused", "person", refusal.who, refusal.paddock, details)
