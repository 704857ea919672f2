"""Slows down who guesses passwords: by the address that tries come from, and by the person that they are for.

An address has many free tries, since a whole office may share one; a person has few. Where a person has logged in
before, only the address counts: guessing cannot lock a person out.
"""

from __future__ import annotations

from datetime import datetime, timedelta

from django.contrib.auth.models import User

from paddock_core.guessing import wait_after

from ..errors import TooManyTries
from ..storage import action
from .models import KnownPlace, WrongLogIns

FREE_TRIES = {"address": 20, "account": 6}
FORGOTTEN_AFTER = timedelta(hours=1)
KNOWN_FOR = timedelta(days=60)
MAX_COUNTED = 10_000
MAX_PLACES = 50


def demand_patience(name: str, address: str, now: datetime) -> None:
    """Raises TooManyTries while the next try has to wait."""
    counted = [("address", address)]
    if not _is_known_place(name, address, now):
        counted.append(("account", name.casefold()))
    for kind, subject in counted:
        found = WrongLogIns.objects.filter(kind=kind, subject=subject, last_at__gt=now - FORGOTTEN_AFTER).first()
        if found is None:
            continue
        left = found.last_at + timedelta(seconds=wait_after(found.tries, FREE_TRIES[kind])) - now
        if left > timedelta(0):
            seconds = int(left.total_seconds()) + 1
            raise TooManyTries(f"There were too many wrong passwords. Try again in {seconds} s.", retry_after=seconds)


@action
def count_wrong(name: str, address: str, now: datetime) -> int:
    """Counts a wrong try; returns how many there were for this person or from this address, whichever is more."""
    WrongLogIns.objects.filter(last_at__lt=now - FORGOTTEN_AFTER).delete()
    most = 0
    for kind, subject in (("address", address), ("account", name.casefold())):
        known = WrongLogIns.objects.filter(kind=kind, subject=subject).first()
        if known is None and WrongLogIns.objects.count() >= MAX_COUNTED:
            WrongLogIns.objects.filter(pk__in=WrongLogIns.objects.order_by("tries", "last_at")[:1]).delete()
        known = known or WrongLogIns(kind=kind, subject=subject, first_at=now)
        known.tries, known.last_at = known.tries + 1, now
        known.save()
        most = max(most, known.tries)
    return most


@action
def note_right(user: User, address: str, now: datetime) -> None:
    """The person is who they say: what was counted for them ends, and the address is a known place of theirs."""
    WrongLogIns.objects.filter(kind="account", subject=user.get_username().casefold()).delete()
    KnownPlace.objects.update_or_create(user=user, address=address[:100], defaults={"last_at": now})
    stale = user.known_places.order_by("-last_at").values_list("pk", flat=True)[MAX_PLACES:]
    KnownPlace.objects.filter(pk__in=list(stale)).delete()


def ongoing_guessing(now: datetime) -> list[WrongLogIns]:
    """More than typing mistakes: past the free tries, within the hour."""
    recent = WrongLogIns.objects.filter(last_at__gt=now - FORGOTTEN_AFTER, tries__gte=min(FREE_TRIES.values()))
    return [one for one in recent.order_by("-tries")[:20] if one.tries >= FREE_TRIES[one.kind]]


def _is_known_place(name: str, address: str, now: datetime) -> bool:
    places = KnownPlace.objects.filter(user__username=name, address=address, last_at__gt=now - KNOWN_FOR)
    return places.exists()
