"""Lets a person in whom a provider vouches for, with the roles that the person's groups have."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.db import transaction
from django.http import HttpRequest
from django.utils import timezone

from paddock_core.access.group_mapping import MappedRole, mapped_roles
from paddock_core.access.roles import EVERYWHERE

from ...changes import announce
from ...errors import ActionError, NotNow
from ...hosts.models import Paddock
from ...logbook.write import write
from ...people.accounts import new_user
from ...people.actions.log_in import open_session
from ...people.actor import SERVER, Actor, current_roles
from ...people.events import roles_changed
from ...people.models import Grant, Identity, SignOnProvider
from ...people.permission import open_to_everyone
from ...people.sessions import end_sessions
from ...storage import action
from ..errors import ProviderTrouble, SignOnRefused
from ..id_token import Signed

ID_TOKEN = "id-token"
"""The key of a session's data with the token that the provider wants to see at a log-out."""


def mapping_of(provider: SignOnProvider) -> list[MappedRole]:
    """The roles of a provider's groups."""
    rows = provider.group_roles.select_related("paddock")
    return [MappedRole(row.group, row.role, row.paddock.name if row.paddock else EVERYWHERE) for row in rows]


def sign_in(request: HttpRequest, provider: SignOnProvider, signed: Signed, id_token: str, address: str) -> User:
    """Makes the account at the first sign-on. Raises SignOnRefused for a person without any role, for one who is
    disabled, and for a name that another account has. That a person's groups have no role any more is written even so:
    it ends their other sessions."""
    user = _record_sign_on(provider, signed)
    if not current_roles(user):
        raise _no_role(signed)
    _let_in(request, user, provider, id_token, address)
    return user


@action
def _record_sign_on(provider: SignOnProvider, signed: Signed) -> User:
    identity = Identity.objects.select_related("user").filter(provider=provider, subject=signed.subject).first()
    roles = mapped_roles(signed.groups, mapping_of(provider))
    if identity is None:
        identity = _new_identity(provider, signed, roles)
    user = identity.user
    if not user.is_active:
        raise SignOnRefused(f"The account {user.get_username()} is disabled.")
    record_groups(identity, signed.groups, roles)
    if not current_roles(user):
        end_sessions(user.browser_sessions.all())
    return user


@action
def _let_in(request: HttpRequest, user: User, provider: SignOnProvider, id_token: str, address: str) -> None:
    open_session(request, user, f"sign-on with {provider.name}", address, provider)
    request.session[ID_TOKEN] = id_token
    request.session.save()
    if provider.trouble:
        SignOnProvider.objects.filter(pk=provider.pk).update(trouble="", trouble_at=None)


def record_groups(identity: Identity, groups: tuple[str, ...], roles: dict[str, str]) -> None:
    """Within an action: the person's roles by this provider are exactly ``roles`` from now on."""
    identity.groups, identity.last_signed_on_at = list(groups), timezone.now()
    identity.save(update_fields=["groups", "last_signed_on_at"])
    apply_roles(identity, roles)


def apply_roles(identity: Identity, roles: dict[str, str]) -> bool:
    """Within an action: writes what differs. Returns whether anything did."""
    held = {
        grant.paddock.name if grant.paddock else EVERYWHERE: grant
        for grant in identity.user.grants.filter(provider=identity.provider).select_related("paddock")
    }
    if {paddock: grant.role for paddock, grant in held.items()} == roles:
        return False
    for paddock, grant in held.items():
        if roles.get(paddock) != grant.role:
            grant.delete()
    paddocks = {one.name: one for one in Paddock.objects.filter(name__in=roles)}
    for paddock, role in roles.items():
        if paddock in held and held[paddock].role == role:
            continue
        Grant.objects.create(
            user=identity.user, role=role, paddock=paddocks.get(paddock), provider=identity.provider,
            granted_by=identity.provider.name,
        )  # fmt: skip
    user, provider = identity.user, identity.provider
    details = {"by": provider.name, "roles": {paddock or "everything": role for paddock, role in roles.items()}}
    write(SERVER, "changed", "roles", user.get_username(), details=details)
    transaction.on_commit(lambda: roles_changed.send(user.pk))
    announce("person", user.get_username())
    return True


def _new_identity(provider: SignOnProvider, signed: Signed, roles: dict[str, str]) -> Identity:
    if not roles:
        raise _no_role(signed)
    try:
        user = new_user(signed.name, added_by=provider.name)
    except NotNow as error:
        raise SignOnRefused(
            f"{error.detail} If that account is yours, log in with its password and connect {provider.name} on your "
            "own page."
        ) from None
    except ActionError as error:
        raise SignOnRefused(f"The provider's name for you cannot be used here: {error.detail}") from None
    write(SERVER, "added", "person", user.get_username(), details={"by": provider.name})
    return Identity.objects.create(user=user, provider=provider, subject=signed.subject)


def _no_role(signed: Signed) -> SignOnRefused:
    shown = ", ".join(signed.groups[:10]) or "none"
    return SignOnRefused(f"None of your groups has a role here (yours: {shown}). Ask an administrator.")


@action
@open_to_everyone("everyone connects their own identity")
def connect_identity(actor: Actor, user: User, provider: SignOnProvider, signed: Signed) -> None:
    """From now on the person can sign on with this provider as well. Raises SignOnRefused for an identity that is
    another's."""
    known = Identity.objects.select_related("user").filter(provider=provider, subject=signed.subject).first()
    if known and known.user_id != user.pk:
        raise SignOnRefused(f"This identity belongs to {known.user.get_username()} already.")
    if known is None and user.identities.filter(provider=provider).exists():
        raise SignOnRefused(f"Your account is connected with another identity of {provider.name}.")
    identity = known or Identity.objects.create(user=user, provider=provider, subject=signed.subject)
    record_groups(identity, signed.groups, mapped_roles(signed.groups, mapping_of(provider)))
    write(actor, "connected", "identity", provider.name, details={"account": actor.name})
    announce("person", actor.name)


@action
def note_refused(provider: SignOnProvider, error: SignOnRefused, address: str) -> None:
    """For the logbook, and for the administrator's screen where the provider itself gives trouble."""
    if isinstance(error, ProviderTrouble):
        if error.detail[:400] == provider.trouble:
            return
        SignOnProvider.objects.filter(pk=provider.pk).update(trouble=error.detail[:400], trouble_at=timezone.now())
        announce("sign-on", provider.name)
    details = {"why": error.detail[:300], "address": address}
    write(SERVER, "refused", "sign-on", provider.name, details=details)
