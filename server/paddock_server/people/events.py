"""What happens to people that other rooms must hear of."""

from __future__ import annotations

from ..changes import Signal

session_ended: Signal[str] = Signal()
"""After the commit, with the key of the session."""
