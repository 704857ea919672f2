"""Makes and ends the address at which a person's calendar program reads the maintenance windows."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.utils import timezone

from ... import secret
from ...logbook.write import write
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import open_to_everyone, requires_anywhere
from ...storage import action
from ..models import CalendarAddress


@action
@requires_anywhere(Role.VIEWER, "Seeing maintenance windows")
def make_calendar_address(actor: Actor, user: User) -> str:
    """The secret part of the address of one's own feed, which is shown this once; the one before it ends."""
    made = secret.make("calendar")
    kept = {"digest": secret.digest(made), "made_at": timezone.now()}
    _, is_first = CalendarAddress.objects.update_or_create(user=user, defaults=kept)
    write(actor, "made" if is_first else "replaced", "calendar address", user.get_username())
    return made


@action
@open_to_everyone("everyone ends their own feed")
def end_calendar_address(actor: Actor, user: User) -> None:
    """Does nothing where there is none."""
    if CalendarAddress.objects.filter(user=user).delete()[0]:
        write(actor, "ended", "calendar address", user.get_username())


def reader_of(made: str) -> User | None:
    """The person whose address this is; None for no one's, and for a person who may not come in any more."""
    feed = (
        CalendarAddress.objects.select_related("user").filter(digest=secret.digest(made), user__is_active=True).first()
    )
    return feed.user if feed else None
