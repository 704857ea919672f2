"""Every action writes here what it did, in the transaction in which it did it."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import Protocol

from ..storage.rows import insert
from .models import Entry

NONE: Mapping[str, object] = MappingProxyType({})


class Acting(Protocol):
    """Whoever acts has a name. A program acts with a ``token``, and a service account ``on_behalf_of`` its owner."""

    @property
    def name(self) -> str: ...
    @property
    def token(self) -> str: ...
    @property
    def on_behalf_of(self) -> str: ...


def write(
    actor: Acting, verb: str, noun: str, thing: str, paddock: str = "", details: Mapping[str, object] = NONE
) -> None:
    """One line: who, what was done (a past participle), to what kind of thing, which one, in which paddock."""
    means = {"token": actor.token, "for": actor.on_behalf_of}
    used = {name: value for name, value in means.items() if value}
    insert(Entry(who=actor.name, verb=verb, noun=noun, thing=thing, paddock=paddock, details={**details, **used}))
