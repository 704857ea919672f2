"""Ends a person's password, and makes a one-time link to set a new one."""

from __future__ import annotations

from django.contrib.auth.models import User

from ...errors import NotNow
from ...people.actor import COMMAND_LINE, Actor
from ...people.models import Role, account_of
from ...people.permission import requires
from ...people.sessions import end_sessions
from ...storage import action
from ..one_time_links import INVITATION_HOURS, RESET_HOURS, new_link


@action
@requires(Role.ADMINISTRATOR, "Resetting a log-in")
def reset_log_in(actor: Actor, user: User, *, passkeys_too: bool = False) -> str:
    """Ends the person's sessions and their password, and makes a one-time link with which they set a new one; open
    links end. With ``passkeys_too`` their second factor ends as well. Raises NotNow for an account that cannot log
    in, and for oneself."""
    if account_of(user).kind == "service":
        raise NotNow(
            f"{user.get_username()} is a service account. It has tokens, and logging in as it is not possible."
        )
    if not user.is_active:
        raise NotNow(f"{user.get_username()} is disabled. Enable the account first.")
    if actor.name == user.get_username() and actor is not COMMAND_LINE:
        raise NotNow("Change your own password on your own page. A reset would log you out at once.")
    user.set_unusable_password()
    user.save(update_fields=["password"])
    if passkeys_too:
        user.passkeys.all().delete()
        user.recovery_codes.all().delete()
    end_sessions(user.browser_sessions.all())
    hours = RESET_HOURS if account_of(user).password_changed_at else INVITATION_HOURS
    return new_link(actor, user, "reset", hours, {"passkeys too": passkeys_too})
