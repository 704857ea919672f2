"""Makes a token with which a program acts for a person or a service account, and revokes one."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import timedelta

from django.contrib.auth.models import User
from django.db import transaction
from django.utils import timezone

from paddock_core.access.roles import Scope

from ... import secret
from ...changes import announce
from ...errors import Invalid, NotNow, NotThere
from ...logbook.write import write
from ...storage import action
from ..actor import COMMAND_LINE, SERVER, Actor
from ..events import token_ended
from ..models import Role, Token, account_of, not_ended
from ..permission import checks_itself

DEFAULT_DAYS = 90
MAX_DAYS = 366
MAX_TOKENS = 50
"""Living tokens per account."""


@action
@checks_itself("people make their own tokens; for a service account, its owner and administrators do")
def make_token(
    actor: Actor,
    user_name: str,
    name: str,
    scope: Scope = Scope.ALL,
    paddocks: Sequence[str] = (),
    days: int = DEFAULT_DAYS,
) -> tuple[Token, str]:
    """The token's row and the token itself, which is shown this once. Raises NotThere for an unknown account, Invalid
    for a wrong name or end, NotNow for too many tokens."""
    user = User.objects.select_related("account").filter(username=user_name).first()
    if user is None:
        known = ", ".join(User.objects.order_by("username").values_list("username", flat=True)[:20]) or "none yet"
        raise NotThere(f"No person is called {user_name}. Known people: {known}.")
    _demand_hand(actor, user, "Making a token")
    if not user.is_active:
        raise NotNow(f"{user_name} is disabled.")
    if actor.token and actor.name == user_name:
        raise NotNow("A token makes no further tokens of its own account. Log in to make one.")
    if not name.strip():
        raise _invalid("/name", "Say what the token is for.")
    if not 1 <= days <= MAX_DAYS:
        raise _invalid("/days", f"A token ends after 1 to {MAX_DAYS} days.")
    now = timezone.now()
    living = user.tokens.filter(not_ended(), revoked_at=None)
    if living.filter(name=name.strip()).exists():
        raise _invalid("/name", f"{user_name} has a token called {name.strip()} already. Choose another name.")
    if living.count() >= MAX_TOKENS:
        raise NotNow(f"{user_name} has {MAX_TOKENS} tokens. Revoke some first.")
    shown_once = secret.make("token")
    made = Token.objects.create(
        user=user, name=name.strip(), digest=secret.digest(shown_once), scope=scope.value, paddocks=list(paddocks),
        made_by=actor.name, ends_at=now + timedelta(days=days),
    )  # fmt: skip
    details = {"account": user_name, "scope": scope.value, "paddocks": list(paddocks), "days": days}
    write(actor, "made", "token", made.name, details=details)
    announce("person", user_name)
    return made, shown_once


@action
@checks_itself("people revoke their own tokens; administrators revoke all")
def revoke_token(actor: Actor, token: Token) -> None:
    """It gives no access from now on. Raises NotNow for one that was revoked."""
    _demand_hand(actor, token.user, "Revoking a token", of_others=True)
    if token.revoked_at:
        raise NotNow(f"{token.revoked_by} has revoked this token already.")
    token.revoked_at, token.revoked_by = timezone.now(), actor.name
    token.save(update_fields=["revoked_at", "revoked_by"])
    write(actor, "revoked", "token", token.name, details={"account": token.user.get_username()})
    transaction.on_commit(lambda: token_ended.send(token.pk))
    announce("person", token.user.get_username())


def _demand_hand(actor: Actor, user: User, what: str, *, of_others: bool = False) -> None:
    """An administrator makes no token for another person, as whom the token would act; the command line may. A program
    does not have its person's own tokens in hand: a token for reading would make itself one for everything."""
    account = account_of(user)
    owns = account.owner is not None and account.owner.get_username() == actor.name
    actor.may(Role.VIEWER)  # counts as a check: one's own needs no role
    is_own = (user.get_username() == actor.name or owns) and not actor.token
    if is_own or actor in (SERVER, COMMAND_LINE):
        return
    if account.kind == "person" and not of_others:
        raise NotNow("A token acts as its person. Only the person can make one; a program gets a service account.")
    actor.demand(Role.ADMINISTRATOR, None, what)


def _invalid(pointer: str, detail: str) -> Invalid:
    return Invalid(detail, errors=[{"pointer": pointer, "detail": detail}])
