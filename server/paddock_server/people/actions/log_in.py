"""Lets a person in by name and password, or counts a wrong try."""

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


def log_in(request: HttpRequest, name: str, password: str, address: str) -> User:
    """The person. Raises NotLoggedIn for a wrong name or password, and TooManyTries while the next try has to wait.

    The logbook hears of every log-in, and of wrong tries when they begin and whenever they have doubled: who guesses
    must not fill it.
    """
    now = timezone.now()
    demand_patience(name, address, now)
    user = authenticate(request, username=name, password=password)
    if not isinstance(user, User):
        _note_wrong(name, address, now)
        raise NotLoggedIn("Name and password do not go together. Mind capital letters.")
    _let_in(request, user, address, now)
    return user


@action
def _note_wrong(name: str, address: str, now: datetime) -> None:
    tries = count_wrong(name, address, now)
    if tries & (tries - 1) == 0:
        write(SERVER, "refused to log in", "person", name, details={"address": address, "tries": tries})
        announce("log-in", name)


@action
def _let_in(request: HttpRequest, user: User, address: str, now: datetime) -> None:
    note_right(user, address, now)
    login(request, user)
    write(person(user), "logged in", "person", user.get_username(), details={"address": address})
