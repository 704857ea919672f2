"""One-time links, with which people set a password: the first one, or a new one after a reset."""

from __future__ import annotations

from datetime import timedelta

from django.contrib.auth.models import User
from django.utils import timezone

from .. import secret
from ..changes import announce
from ..errors import Invalid, NotNow
from ..logbook.write import write
from ..moments import written_date
from ..people.actor import Actor
from ..people.models import Invitation

INVITATION_HOURS = 72
MAX_INVITATION_HOURS = 24 * 30
RESET_HOURS = 24


def new_link(actor: Actor, user: User, kind: str, hours: int, details: dict[str, object] | None = None) -> str:
    """Within an action: the secret of a link, which ends the open ones of the person. Raises Invalid for a time that
    cannot be."""
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
