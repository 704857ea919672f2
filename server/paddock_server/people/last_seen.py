"""When people and tokens were last seen, to the minute: written at most once a minute each."""

from __future__ import annotations

import math
import threading
import time
from collections.abc import Callable
from datetime import timedelta

from django.http import HttpRequest, HttpResponse
from django.utils import timezone

from ..process.state import part
from ..secret import digest
from ..storage import action
from .models import Account, Session, Token
from .sessions import has_ended

PRECISION = timedelta(minutes=1)
MAX_REMEMBERED = 10_000
UNATTENDED = "HTTP_PADDOCK_UNATTENDED"
"""Sent by a page that reloads while its person is away. Such requests do not extend the session."""


class _Noted:
    """When each session was last looked at here, so that most requests cost no statement."""

    def __init__(self) -> None:
        self.lock = threading.Lock()
        self.at: dict[str, float] = {}

    def is_due(self, key_digest: str) -> bool:
        now = time.monotonic()
        with self.lock:
            if now - self.at.get(key_digest, -math.inf) < PRECISION.total_seconds():
                return False
            if len(self.at) >= MAX_REMEMBERED:
                self.at.clear()
            self.at[key_digest] = now
            return True


class LastSeen:
    """Middleware: notes that a session is in use."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self._get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        key = request.session.session_key
        is_use = request.path.startswith("/api/") and UNATTENDED not in request.META
        if key and is_use and part(_Noted).is_due(digest(key)):
            self._note(digest(key))
        return self._get_response(request)

    def _note(self, key_digest: str) -> None:
        session = Session.objects.filter(session_key=key_digest).exclude(user=None).first()
        if session and session.last_seen_at and abs(timezone.now() - session.last_seen_at) >= PRECISION:
            note_session(session)


@action
def note_session(session: Session) -> None:
    """The person has asked for something."""
    if has_ended(session):
        return
    now = timezone.now()
    Session.objects.filter(pk=session.pk).update(last_seen_at=now)
    Account.objects.filter(user=session.user).update(last_seen_at=now)


def note_token(token: Token, address: str) -> None:
    """A program has used it, from this address."""
    now = timezone.now()
    is_recent = token.last_used_at is not None and now - token.last_used_at < PRECISION
    if not is_recent or token.last_used_from != address[:100]:
        _write_token(token, address[:100])


@action
def _write_token(token: Token, address: str) -> None:
    now = timezone.now()
    Token.objects.filter(pk=token.pk).update(last_used_at=now, last_used_from=address)
    Account.objects.filter(user_id=token.user_id).update(last_seen_at=now)
