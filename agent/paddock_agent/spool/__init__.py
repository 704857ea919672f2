"""What the server must still hear, kept on disk until it has acknowledged it; while the disk is full, in memory.

Messages are few and stand in an SQLite file. What attempts print is much: it goes to segment files, which are appended
to and dropped whole. Each attempt has a lane of its own, in which a message waits for what was printed before it; the
lanes do not wait for each other.
"""

from .sending import Sending
from .spool import Spool

__all__ = ["Sending", "Spool"]
