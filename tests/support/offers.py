"""Offers of one script, as tests send them."""

from __future__ import annotations

from paddock_agent import wire


def script_offer(script: str, attempt: str = "1-1", *, shell: str = "", **more: object) -> wire.Offer:
    """An offer with one step; ``more`` are its other fields."""
    given = {"job": 1, "name": "compile", "pipeline": "almanac-docs", "steps": [wire.Step("script", script, shell)]}
    return wire.Offer(**{"attempt": attempt, **given, **more})
