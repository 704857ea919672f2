"""Refusals for want of a role, for whoever records them."""

from __future__ import annotations

from dataclasses import dataclass

from ..changes import Signal


@dataclass(frozen=True)
class Refusal:
    """``who`` was refused; ``detail`` says what for, ``role`` and ``paddock`` what was missing ("": everywhere)."""

    who: str
    detail: str
    role: str
    paddock: str


refused: Signal[Refusal] = Signal()
