"""Logs a person out: the session ends, and every feed that was opened with it."""

from __future__ import annotations

from django.contrib.auth import logout
from django.db import transaction
from django.http import HttpRequest

from ...logbook.write import write
from ...storage import action
from ..actor import Actor
from ..events import session_ended
from ..permission import open_to_everyone


@action
@open_to_everyone("everyone ends their own session")
def end_session(actor: Actor, request: HttpRequest) -> None:
    """Does nothing without a session."""
    key = request.session.session_key
    is_somebody = request.user.is_authenticated
    logout(request)
    if is_somebody:
        write(actor, "logged out", "person", actor.name)
    if key:
        transaction.on_commit(lambda: session_ended.send(key))
