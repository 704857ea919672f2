"""Guards the door against guessing: after a few wrong passes, each address has to wait longer for its next try."""

from __future__ import annotations

import contextlib
from collections.abc import Iterator
from datetime import timedelta

from django.utils import timezone

from paddock_core import guessing

from ...changes import announce
from ...errors import PassUnknown, TooManyTries
from ...logbook.write import write
from ...people.actor import SERVER, Actor
from ...people.models import Role
from ...people.permission import requires
from ...storage import action
from ..models import Guessing

FREE_TRIES = 5
FORGOTTEN_AFTER = timedelta(days=1)


@contextlib.contextmanager
def guarded(address: str) -> Iterator[None]:
    """Runs what takes a pass; counts a wrong one. Raises TooManyTries while the address has to wait."""
    _demand_patience(address)
    try:
        yield
    except PassUnknown:
        note_wrong_pass(address)
        raise


def _demand_patience(address: str) -> None:
    known = Guessing.objects.filter(address=address).first()
    if known is None:
        return
    left = known.last_at + wait_after(known.tries) - timezone.now()
    if left > timedelta(0):
        seconds = int(left.total_seconds()) + 1
        raise TooManyTries(
            f"{known.tries} wrong passes came from {address}. The next can be tried in {seconds} s. If the pass was "
            "cut off when it was copied, copy it again from the bring-up sheet.",
            retry_after=seconds,
        )


def wait_after(tries: int) -> timedelta:
    """How long the next try has to wait."""
    return timedelta(seconds=guessing.wait_after(tries, FREE_TRIES))


@action
def note_wrong_pass(address: str) -> None:
    """Counts one. The logbook hears of it when it begins to look like guessing, and each time it has doubled."""
    now = timezone.now()
    Guessing.objects.filter(last_at__lt=now - FORGOTTEN_AFTER).delete()
    known, _ = Guessing.objects.get_or_create(address=address, defaults={"first_at": now, "last_at": now})
    known.tries, known.last_at = known.tries + 1, now
    known.save()
    over = known.tries - FREE_TRIES
    if over >= 0 and (over & (over - 1)) == 0:
        write(SERVER, "saw wrong passes from", "address", address, details={"tries": known.tries})
    if over >= 0:
        announce("guessing", address)


def recent_guessing() -> list[Guessing]:
    """What looks like guessing."""
    since = timezone.now() - FORGOTTEN_AFTER
    return list(Guessing.objects.filter(tries__gte=FREE_TRIES, last_at__gte=since))


@action
@requires(Role.ADMINISTRATOR, "Dismissing wrong passes")
def dismiss_guessing(actor: Actor, address: str) -> None:
    """A person has looked at it; it comes back with the next wrong pass from there."""
    if Guessing.objects.filter(address=address).delete()[0]:
        write(actor, "dismissed wrong passes from", "address", address)
        announce("guessing", address)
