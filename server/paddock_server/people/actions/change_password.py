"""A person changes their own password. All other sessions of theirs end."""

from __future__ import annotations

from django.contrib.auth import update_session_auth_hash
from django.contrib.auth.models import User
from django.http import HttpRequest
from django.utils import timezone

from ...errors import Invalid, NotNow
from ...logbook.write import write
from ...storage import action
from ..actor import Actor
from ..log_in_guard import demand_patience
from ..passwords import set_password
from ..permission import open_to_everyone
from ..sessions import end_sessions
from .log_in import note_wrong


def change_password(actor: Actor, request: HttpRequest, user: User, old: str, new: str, address: str) -> int:
    """Returns how many other sessions ended. Raises Invalid for a wrong or weak password, NotNow for a person who has
    none, TooManyTries while the next try has to wait."""
    if not user.has_usable_password():
        raise NotNow("You have no password here: you sign on elsewhere. An administrator can make a link to set one.")
    now = timezone.now()
    demand_patience(user.get_username(), address, now)
    if not user.check_password(old):
        note_wrong(user.get_username(), address, now)
        detail = "This is not your present password."
        raise Invalid(detail, errors=[{"pointer": "/old", "detail": detail}])
    return _change(actor, request, user, new)


@action
@open_to_everyone("everyone changes their own password")
def _change(actor: Actor, request: HttpRequest, user: User, new: str) -> int:
    set_password(user, new)
    ended = end_sessions(user.browser_sessions.all())
    update_session_auth_hash(request, user)  # with a new key, so that this session goes on and no other does
    request.session.save()
    write(actor, "changed", "password", actor.name, details={"sessions ended": max(0, ended - 1)})
    return max(0, ended - 1)
