"""Adds and removes passkeys, makes recovery codes, and lets a person in by one of them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.contrib.auth.models import User
from django.http import HttpRequest
from django.utils import timezone

from ...changes import announce
from ...errors import Invalid, NotLoggedIn, NotNow
from ...logbook.write import write
from ...storage import action
from ..actor import Actor, person
from ..log_in_guard import demand_patience
from ..models import Passkey, RecoveryCode
from ..permission import open_to_everyone
from ..second_factor import MAX_PASSKEYS, new_passkey, new_recovery_codes, recovery_digest, used_passkey
from .log_in import note_wrong, open_session, pending_person


def add_passkey(
    actor: Actor, request: HttpRequest, user: User, name: str, credential: Mapping[str, Any]
) -> tuple[Passkey, list[str]]:
    """The passkey and, with the first one, the recovery codes, which are shown this once. Raises Invalid and NotNow."""
    if not user.has_usable_password():
        raise NotNow("You sign on elsewhere. Set up a second factor there.")
    if user.passkeys.count() >= MAX_PASSKEYS:
        raise NotNow(f"You have {MAX_PASSKEYS} passkeys. Remove one first.")
    made = new_passkey(request, user, name.strip() or "passkey", credential)
    return _save(actor, made)


@action
@open_to_everyone("everyone adds their own passkeys")
def _save(actor: Actor, passkey: Passkey) -> tuple[Passkey, list[str]]:
    is_first = not passkey.user.passkeys.exists()
    passkey.save(force_insert=True)
    write(actor, "added", "passkey", passkey.name, details={"account": actor.name})
    announce("person", actor.name)
    return passkey, _renew(passkey.user) if is_first else []


@action
@open_to_everyone("everyone removes their own passkeys")
def remove_passkey(actor: Actor, passkey: Passkey) -> None:
    """Without any passkey left, the password alone lets the person in, and the recovery codes go."""
    user, name = passkey.user, passkey.name
    passkey.delete()
    if not user.passkeys.exists():
        user.recovery_codes.all().delete()
    write(actor, "removed", "passkey", name, details={"account": actor.name})
    announce("person", actor.name)


@action
@open_to_everyone("everyone renews their own recovery codes")
def renew_recovery_codes(actor: Actor, user: User) -> list[str]:
    """New ones, shown this once; the ones before them end. Raises NotNow without a passkey."""
    if not user.passkeys.exists():
        raise NotNow("Recovery codes stand in for a passkey. Add a passkey first.")
    codes = _renew(user)
    write(actor, "renewed", "recovery codes", actor.name)
    return codes


def _renew(user: User) -> list[str]:
    user.recovery_codes.all().delete()
    codes = new_recovery_codes()
    RecoveryCode.objects.bulk_create(RecoveryCode(user=user, digest=recovery_digest(code)) for code in codes)
    return codes


def log_in_with_passkey(request: HttpRequest, credential: Mapping[str, Any], address: str) -> User:
    """The second step of a log-in. Raises NotLoggedIn, TooManyTries."""
    user = pending_person(request)
    now = timezone.now()
    demand_patience(user.get_username(), address, now)
    try:
        passkey, count = used_passkey(request, user, credential)
    except Invalid as error:
        note_wrong(user.get_username(), address, now)
        raise NotLoggedIn(error.detail) from None
    _let_in_by_passkey(request, passkey, count, address)
    return user


@action
def _let_in_by_passkey(request: HttpRequest, passkey: Passkey, count: int, address: str) -> None:
    passkey.sign_count, passkey.last_used_at = count, timezone.now()
    passkey.save(update_fields=["sign_count", "last_used_at"])
    open_session(request, passkey.user, "password and passkey", address)


def log_in_with_recovery_code(request: HttpRequest, code: str, address: str) -> User:
    """The same by a recovery code, which is used up. Raises NotLoggedIn, TooManyTries."""
    user = pending_person(request)
    now = timezone.now()
    demand_patience(user.get_username(), address, now)
    if not _use_code(request, user, code, address):
        note_wrong(user.get_username(), address, now)
        raise NotLoggedIn("This recovery code is wrong or was used before.")
    return user


@action
def _use_code(request: HttpRequest, user: User, code: str, address: str) -> bool:
    unused = user.recovery_codes.filter(digest=recovery_digest(code), used_at=None)
    if not unused.update(used_at=timezone.now()):
        return False
    left = user.recovery_codes.filter(used_at=None).count()
    write(person(user), "used", "recovery code", user.get_username(), details={"codes left": left})
    open_session(request, user, "password and recovery code", address)
    return True
