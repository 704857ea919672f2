"""Everything that the server has not acknowledged yet: on disk, or in memory while the disk is full.

Messages are few; they go to an SQLite file. Logs are large; they go to segment files that are appended to and deleted
whole. Each attempt has its own lane: a message waits until the log before it is sent. Lanes do not block each other.
"""

from .sending import Sending
from .spool import Spool

__all__ = ["Sending", "Spool"]
