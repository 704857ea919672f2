"""Adds a person, with a role for everything or for one paddock: with a password, or with a link to set one."""

from __future__ import annotations

from datetime import timedelta

from django.contrib.auth.models import User
from django.db import transaction
from django.http import HttpRequest
from django.utils import timezone

from ... import secret
from ...changes import announce
from ...errors import Invalid, NotNow
from ...hosts.models import Paddock
from ...logbook.write import write
from ...moments import written_date
from ...people.accounts import new_user
from ...people.actions.log_in import open_session
from ...people.actor import COMMAND_LINE, Actor
from ...people.events import shut_out
from ...people.models import Account, Grant, Invitation, Role, account_of
from ...people.passwords import set_password
from ...people.permission import open_to_everyone, requires
from ...people.second_factor import needs_second_factor
from ...people.sessions import end_sessions
from ...storage import action

INVITATION_HOURS = 72
MAX_INVITATION_HOURS = 24 * 30
RESET_HOURS = 24


@action
@requires(Role.ADMINISTRATOR, "Adding a person")
def add_user(actor: Actor, name: str, password: str, role: Role, paddock: Paddock | None = None) -> User:
    """Raises NotNow for a name that is taken and Invalid for a password that is too weak."""
    user = new_user(name, added_by=actor.name)
    set_password(user, password)
    _grant_first_role(actor, user, role, paddock)
    return user


@action
@requires(Role.ADMINISTRATOR, "Inviting a person")
def invite(
    actor: Actor, name: str, role: Role, paddock: Paddock | None = None, hours: int = INVITATION_HOURS
) -> tuple[User, str]:
    """The person, who cannot log in yet, and the secret of the one-time link. Raises Invalid and NotNow for a name that
    will not do."""
    user = new_user(name, added_by=actor.name)
    _grant_first_role(actor, user, role, paddock)
    return user, _new_link(actor, user, "invitation", hours)


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
    end_sessions(user.pk)
    hours = RESET_HOURS if Account.objects.filter(user=user).exclude(password_changed_at=None) else INVITATION_HOURS
    return _new_link(actor, user, "reset", hours, {"passkeys too": passkeys_too})


def _grant_first_role(actor: Actor, user: User, role: Role, paddock: Paddock | None) -> None:
    Grant.objects.create(user=user, role=role, paddock=paddock, granted_by=actor.name)
    write(actor, "added", "person", user.get_username(), paddock.name if paddock else "", {"role": role})
    announce("person", user.get_username())


def _new_link(actor: Actor, user: User, kind: str, hours: int, details: dict[str, object] | None = None) -> str:
    if not 1 <= hours <= MAX_INVITATION_HOURS:
        detail = f"A link is good for 1 to {MAX_INVITATION_HOURS} hours."
        raise Invalid(detail, errors=[{"pointer": "/hours", "detail": detail}])
    user.invitations.filter(used_at=None).delete()
    shown_once = secret.make("link")
    Invitation.objects.create(
        user=user, kind=kind, digest=secret.digest(shown_once), made_by=actor.name,
        ends_at=timezone.now() + timedelta(hours=hours),
    )  # fmt: skip
    verb = "invited" if kind == "invitation" else "reset"
    write(actor, verb, "person", user.get_username(), details={"hours": hours, **(details or {})})
    announce("person", user.get_username())
    return shown_once


def invitation_with(link: str) -> Invitation:
    """The invitation of a link's secret. Raises NotNow for one that is unknown, used or past its end."""
    digest = secret.digest("".join(link.split()))
    found = Invitation.objects.select_related("user").filter(digest=digest).first()
    again = "Ask an administrator for a new one."
    if found is None:
        raise NotNow(f"This link is unknown, or a newer one replaced it. {again}")
    if found.used_at:
        used = written_date(found.used_at)
        raise NotNow(f"This link was used on {used}. If that was not you, tell an administrator.")
    if found.ends_at <= timezone.now():
        raise NotNow(f"This link ended on {written_date(found.ends_at)}. {again}")
    if not found.user.is_active:
        raise NotNow(f"The account {found.user.get_username()} is disabled.")
    return found


@action
@open_to_everyone("who has the link is the person whom an administrator gave it to")
def accept_invitation(actor: Actor, request: HttpRequest, link: str, password: str, address: str) -> User | None:
    """Sets the password and logs the person in; None where a second factor is asked for next. Raises NotNow for a link
    that is not good any more, Invalid for a weak password, which costs no use."""
    invitation = invitation_with(link)
    user = invitation.user
    set_password(user, password)
    end_sessions(user.pk)
    invitation.used_at = timezone.now()
    invitation.save(update_fields=["used_at"])
    write(actor, "used", invitation.kind, user.get_username(), details={"address": address})
    announce("person", user.get_username())
    if needs_second_factor(user):
        return None
    open_session(request, user, "one-time link", address)
    return user


def shut_out_after_commit(user: User) -> None:
    """Within an action: ends the person's sessions, feeds and downloads."""
    end_sessions(user.pk)
    transaction.on_commit(lambda: shut_out.send(user.pk))
