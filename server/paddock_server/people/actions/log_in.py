"""Lets a person in by name and password, or counts a wrong try."""

from __future__ import annotations

from django.contrib.auth import authenticate
from django.contrib.auth.models import User
from django.http import HttpRequest
from django.utils import timezone

from ...errors import NotLoggedIn
from ...health import looking
from ...logbook.write import write
from ..actor import SERVER, person
from ..log_in_guard import count_wrong, demand_patience, note_right


def log_in(request: HttpRequest, name: str, password: str, address: str) -> User:
    """The person. Raises NotLoggedIn for a wrong name or password, and TooManyTries while the next try has to wait.

    The logbook hears of every log-in, and of wrong tries when they begin and whenever they have doubled: who guesses
    must not fill it.
    """
    now = timezone.now()
    demand_patience(name, address, now)
    user = authenticate(request, username=name, password=password)
    if not isinstance(user, User):
        tries = count_wrong(name, address, now)
        if tries & (tries - 1) == 0:
            write(SERVER, "refused to log in", "person", name, address=address, tries=tries)
            looking.stir_named("log-in", name)
        raise NotLoggedIn("Name and password do not go together. Mind capital letters.")
    note_right(user, address, now)
    write(person(user), "logged in", "person", user.get_username(), address=address)
    return user
