"""Which authorities this program trusts where it calls others over TLS."""

from __future__ import annotations

import ssl
from functools import cache


@cache
def trusting_context() -> ssl.SSLContext:
    """Those of the system, and of the file that SSL_CERT_FILE names: a house often has an authority of its own. They
    are read once: a restart reads them again."""
    return ssl.create_default_context()
