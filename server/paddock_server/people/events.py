"""What happens to people that other rooms must hear of. Each is sent after the commit."""

from __future__ import annotations

from ..changes import Signal

session_ended: Signal[str] = Signal()
"""With the hash of the session's key."""
token_ended: Signal[int] = Signal()
"""With the number of the token."""
shut_out: Signal[int] = Signal()
"""With the number of the user, who may do nothing any more."""
roles_changed: Signal[int] = Signal()
"""With the number of the user."""
