"""What the findings make known, within the action that writes them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from ..changes import Signal
from .models import Finding


@dataclass(frozen=True)
class FindingChanged:
    """A finding that was opened or closed."""

    finding: Finding
    event: Literal["opened", "closed"]


finding_changed: Signal[FindingChanged] = Signal()
