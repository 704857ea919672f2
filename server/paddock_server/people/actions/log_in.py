"""Lets a person in by name and password, with a second factor where the person has one, or counts a wrong try."""

from __future__ import annotations

from datetime import datetime

from django.contrib.auth import authenticate, login
from django.contrib.auth.models import User
from django.http import HttpRequest
from django.utils import timezone

from ...changes import announce
from ...errors import NotLoggedIn
from ...logbook.write import write
from ...storage import action
from ..actor import SERVER, person
from ..log_in_guard import count_wrong, demand_patience, note_right
from ..models import Account, SignOnProvider, account_of
from ..second_factor import needs_second_factor
from ..sessions import ABOUT

PENDING = "pending"
"""The key of a session's data that names the person whose password was right and whose second factor is awaited."""
PENDING_SECONDS = 300


def log_in(request: HttpRequest, name: str, password: str, address: str) -> User | None:
    """The person, who is logged in now; None where a second factor is awaited.

    Raises NotLoggedIn for a wrong name or password, and TooManyTries while the next try has to wait. The logbook hears
    of every log-in, and of wrong tries when they begin and whenever they have doubled: who guesses must not fill it.
    """
    now = timezone.now()
    demand_patience(name, address, now)
    user = authenticate(request, username=name, password=password)
    if not isinstance(user, User) or account_of(user).kind != "person":
        note_wrong(name, address, now)
        raise NotLoggedIn("Name and password do not go together. Mind capital letters.")
    if needs_second_factor(user):
        await_second_factor(request, user, now)
        return None
    open_session(request, user, "password", address)
    return user


@action
def await_second_factor(request: HttpRequest, user: User, now: datetime) -> None:
    """Remembers in the browser's session whose password was right."""
    request.session.cycle_key()
    request.session[PENDING] = {"user": user.pk, "at": now.timestamp()}
    request.session.set_expiry(PENDING_SECONDS)
    request.session.save()


def pending_person(request: HttpRequest) -> User:
    """Whose password was right just now. Raises NotLoggedIn."""
    pending = request.session.get(PENDING)
    age = timezone.now().timestamp() - pending["at"] if pending else 0.0
    user = User.objects.filter(pk=pending["user"], is_active=True).first() if pending else None
    if user is None or not 0 <= age < PENDING_SECONDS:
        raise NotLoggedIn("Enter name and password again: the time for the second factor has passed.")
    return user


@action
def note_wrong(name: str, address: str, now: datetime) -> None:
    """Counts a wrong password or second factor."""
    tries = count_wrong(name, address, now)
    if tries & (tries - 1) == 0:
        write(SERVER, "refused to log in", "person", name, details={"address": address, "tries": tries})
        announce("log-in", name)


@action
def open_session(
    request: HttpRequest, user: User, method: str, address: str, provider: SignOnProvider | None = None
) -> None:
    """Logs a person in whose identity is proven. ``method`` says how, as the person's own page shows it."""
    now = timezone.now()
    note_right(user, address, now)
    request.session.pop(PENDING, None)
    login(request, user, backend="django.contrib.auth.backends.ModelBackend")
    request.session.set_expiry(None)
    request.session[ABOUT] = {
        "opened": now.timestamp(),
        "address": address[:100],
        "browser": request.META.get("HTTP_USER_AGENT", "")[:300],
        "method": method[:40],
        "provider": provider.pk if provider else None,
    }
    request.session.save()
    Account.objects.filter(user=user).update(last_seen_at=now)
    write(person(user), "logged in", "person", user.get_username(), details={"address": address, "method": method})
