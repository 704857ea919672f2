"""Ends sessions of a person: with each, every feed that was opened with it."""

from __future__ import annotations

from django.contrib.auth import logout
from django.contrib.auth.models import User
from django.http import HttpRequest

from ...changes import announce
from ...errors import NotThere
from ...logbook.write import write
from ...secret import digest
from ...storage import action
from ..actor import Actor
from ..permission import open_to_everyone
from ..sessions import end_sessions


@action
@open_to_everyone("everyone ends their own session")
def end_session(actor: Actor, request: HttpRequest) -> None:
    """Logs out. Does nothing without a session."""
    key, user = request.session.session_key, request.user
    if key and user.pk:
        end_sessions(user.browser_sessions.filter(session_key=digest(key)))
        write(actor, "logged out", "person", actor.name)
    logout(request)


@action
@open_to_everyone("everyone ends their own sessions")
def end_own_session(actor: Actor, user: User, number: str) -> None:
    """Ends one session of the person, by the start of its hash. Raises NotThere."""
    found = user.browser_sessions.filter(session_key__startswith=number).first() if len(number) >= 16 else None
    if found is None:
        raise NotThere("This session has ended already.")
    end_sessions(user.browser_sessions.filter(pk=found.pk))
    write(actor, "ended", "session", actor.name, details={"address": found.address})
    announce("person", actor.name)


@action
@open_to_everyone("everyone ends their own sessions")
def end_other_sessions(actor: Actor, user: User, key: str) -> int:
    """Ends all sessions of the person but the one with this key. Returns how many."""
    ended = end_sessions(user.browser_sessions.exclude(session_key=digest(key)))
    if ended:
        write(actor, "ended", "sessions", actor.name, details={"sessions": ended})
        announce("person", actor.name)
    return ended
