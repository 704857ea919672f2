"""Uses a one-time link: sets the password, and logs the person in."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.http import HttpRequest
from django.utils import timezone

from ...changes import announce
from ...logbook.write import write
from ...people.actions.log_in import open_session
from ...people.actor import Actor
from ...people.passwords import set_password
from ...people.permission import open_to_everyone
from ...people.second_factor import needs_second_factor
from ...people.sessions import end_sessions
from ...storage import action
from ..one_time_links import invitation_with


@action
@open_to_everyone("who has the link is the person whom an administrator gave it to")
def accept_invitation(actor: Actor, request: HttpRequest, link: str, password: str, address: str) -> User | None:
    """Sets the password and logs the person in; None where a second factor is asked for next. Raises NotNow for a link
    that is not good any more, Invalid for a weak password, which costs no use."""
    invitation = invitation_with(link)
    user = invitation.user
    set_password(user, password)
    end_sessions(user.browser_sessions.all())
    invitation.used_at = timezone.now()
    invitation.save(update_fields=["used_at"])
    write(actor, "used", invitation.kind, user.get_username(), details={"address": address})
    announce("person", user.get_username())
    if needs_second_factor(user):
        return None
    open_session(request, user, "one-time link", address)
    return user
