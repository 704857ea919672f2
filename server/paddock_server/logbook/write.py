"""Every action writes here what it did, in the transaction in which it did it."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import Protocol

from ..storage.rows import insert
from .models import Entry

NONE: Mapping[str, object] = MappingProxyType({})


class Acting(Protocol):
    """Whoever acts has a name."""

    @property
    def name(self) -> str: ...


def write(
    actor: Acting, verb: str, noun: str, thing: str, paddock: str = "", details: Mapping[str, object] = NONE
) -> None:
    """One line: who, what was done (a past participle), to what kind of thing, which one, in which paddock."""
    insert(Entry(who=actor.name, verb=verb, noun=noun, thing=thing, paddock=paddock, details=dict(details)))
