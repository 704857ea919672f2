"""Which thread of this process may write. Every other one gets connections that only read, once there is a writer."""

from __future__ import annotations

import threading


class _Roles:
    writer: threading.Thread | None = None


_roles = _Roles()


def set_writer(thread: threading.Thread | None) -> None:
    """Makes ``thread`` the one that writes; None: whoever likes."""
    _roles.writer = thread


def only_reads() -> bool:
    """Whether the current thread may only read."""
    return _roles.writer is not None and _roles.writer is not threading.current_thread()
