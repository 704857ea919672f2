"""What happens to jobs that other rooms must hear of."""

from __future__ import annotations

from ..changes import Signal
from .models import Attempt

attempt_ended: Signal[Attempt] = Signal()
"""Within the action, before the attempt is written."""
