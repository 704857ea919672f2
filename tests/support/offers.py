"""Offers of one script, as tests send them, and a server that has at once for running what begins."""

from __future__ import annotations

from collections.abc import Callable, Coroutine
from typing import Any

from paddock_agent import wire

Begin = Callable[[wire.AttemptStarted], Coroutine[Any, Any, None]]


def script_offer(script: str, attempt: str = "1-1", *, shell: str = "", **more: object) -> wire.Offer:
    """An offer with one step; ``more`` are its other fields."""
    given = {"job": 1, "name": "compile", "pipeline": "almanac-docs", "steps": [wire.WireStep("script", script, shell)]}
    return wire.Offer(**{"attempt": attempt, **given, **more})


async def able() -> list[wire.FailedPart]:
    """The trial of a host that can work."""
    return []


def recording(sent: list[wire.FromAgent]) -> tuple[Callable[[wire.FromAgent], None], Begin]:
    """How attempts tell and begin, into a list."""

    async def begin(started: wire.AttemptStarted) -> None:
        sent.append(started)

    return sent.append, begin
