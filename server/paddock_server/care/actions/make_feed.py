"""Makes the address at which a person's own calendar reads planned care, and ends it."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.utils import timezone

from ... import secret
from ...errors import NotAllowed
from ...logbook.write import write
from ...people.actor import person
from ...people.models import Role
from ...storage import action
from ..models import CareFeed


@action
def make_feed(user: User) -> str:
    """The secret part of the address, which is shown this once; the one before it ends."""
    actor = person(user)
    if not actor.may_anywhere(Role.VIEWER):
        raise NotAllowed("Seeing planned care needs the role viewer. Ask an administrator for it.")
    made = secret.make("care")
    kept = {"digest": secret.digest(made), "made_at": timezone.now()}
    _, is_first = CareFeed.objects.update_or_create(user=user, defaults=kept)
    write(actor, "made" if is_first else "made anew", "care feed", user.get_username())
    return made


@action
def end_feed(user: User) -> None:
    """Does nothing where there is none."""
    if CareFeed.objects.filter(user=user).delete()[0]:
        write(person(user), "ended", "care feed", user.get_username())


def reader_of(made: str) -> User | None:
    """The person whose address this is; None for no one's, and for a person who may not come in any more."""
    feed = CareFeed.objects.select_related("user").filter(digest=secret.digest(made), user__is_active=True).first()
    return feed.user if feed else None
