"""Every action writes here what it did, in the transaction in which it did it."""

from __future__ import annotations

from typing import Protocol

from ..storage.rows import insert
from .models import Entry


class Acting(Protocol):
    """Whoever acts has a name."""

    @property
    def name(self) -> str: ...


def write(actor: Acting, verb: str, noun: str, thing: str, paddock: str = "", **details: object) -> None:
    """One line: who, what was done (a past participle), to what kind of thing, which one, in which paddock."""
    insert(Entry(who=actor.name, verb=verb, noun=noun, thing=thing, paddock=paddock, details=details))
