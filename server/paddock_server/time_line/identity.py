"""The identity of an attempt: random, and signed, so that an agent can prove that this server once gave it out.

An attempt that carries a signature of the present time line, and that the database does not know, was made by a later
state of this database: it was set back. Without a signature any agent could claim that.
"""

from __future__ import annotations

import hashlib
import hmac
import re
import secrets

from django.conf import settings

from ..process.state import part
from ..storage import is_writer
from .models import TimeLine

RANDOM_BYTES = SIGNATURE_BYTES = 8
_WIRE_NAME = re.compile(r"([1-9][0-9]{0,17})-([1-9][0-9]{0,8})-([0-9a-f]{16})([0-9a-f]{16})")


def current_time_line() -> TimeLine | None:
    """The present time line; None for a database that no server has served yet."""
    return TimeLine.objects.order_by("-id").first()


class _Signing:
    line: TimeLine | None = None


def forget_line() -> None:
    """Another time line has begun."""
    part(_Signing).line = None


def _line_that_signs() -> TimeLine | None:
    """The present one; the writer of a running server reads it once."""
    if not is_writer():
        return current_time_line()
    signing = part(_Signing)
    signing.line = signing.line or current_time_line()
    return signing.line


def new_identity(job: int, number: int) -> str:
    """A fresh identity for one attempt: 32 hexadecimal digits, half of them random, half their signature."""
    line = _line_that_signs()
    chance = secrets.token_hex(RANDOM_BYTES)
    return chance + _signature(line.identity if line else "", job, number, chance)


def given_out(line: TimeLine, wire_name: str) -> tuple[int, str] | None:
    """The job and the identity of an attempt that this time line gave out, by its signature; None for any other
    name."""
    if (match := _WIRE_NAME.fullmatch(wire_name)) is None:
        return None
    job, number = int(match[1]), int(match[2])
    is_ours = hmac.compare_digest(match[4], _signature(line.identity, job, number, match[3]))
    return (job, match[3] + match[4]) if is_ours else None


def _signature(line: str, job: int, number: int, chance: str) -> str:
    signed = f"attempt|{line}|{job}|{number}|{chance}".encode()
    return hmac.new(settings.SECRET_KEY.encode(), signed, hashlib.sha256).hexdigest()[: 2 * SIGNATURE_BYTES]
