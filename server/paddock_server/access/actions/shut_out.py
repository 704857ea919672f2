"""Disables an account, enables it again, or deletes it."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.utils import timezone

from ...changes import announce
from ...errors import NotNow
from ...logbook.write import write
from ...people.actor import Actor
from ...people.administrators import demand_another_administrator
from ...people.models import Account, Role
from ...people.permission import requires
from ...people.sessions import shut_out_user
from ...storage import action
from ..hanging import what_hangs_on


@action
@requires(Role.ADMINISTRATOR, "Disabling an account")
def disable(actor: Actor, user: User) -> int:
    """Ends sessions, feeds, downloads and open links at once; tokens give no access while it lasts. Returns how many
    service accounts of the person now have no owner who is there. Raises NotNow for the last administrator, for
    oneself, and for an account that is disabled."""
    name = user.get_username()
    if not user.is_active:
        raise NotNow(f"{name} is disabled already.")
    if name == actor.name:
        raise NotNow("You cannot disable yourself. Another administrator can.")
    demand_another_administrator(user, f"Disabling {name}")
    user.is_active = False
    user.save(update_fields=["is_active"])
    Account.objects.filter(user=user).update(disabled_at=timezone.now(), disabled_by=actor.name)
    user.invitations.filter(used_at=None).delete()
    shut_out_user(user)
    owned = user.service_accounts.filter(user__is_active=True).count()
    write(actor, "disabled", "person", name, details={"service accounts owned": owned} if owned else {})
    announce("person", name)
    return owned


@action
@requires(Role.ADMINISTRATOR, "Enabling an account")
def enable(actor: Actor, user: User) -> None:
    """Password, passkeys, roles and tokens are as they were. Raises NotNow for an account that is enabled."""
    name = user.get_username()
    if user.is_active:
        raise NotNow(f"{name} is enabled already.")
    user.is_active = True
    user.save(update_fields=["is_active"])
    Account.objects.filter(user=user).update(disabled_at=None, disabled_by="")
    write(actor, "enabled", "person", name)
    announce("person", name)


@action
@requires(Role.ADMINISTRATOR, "Deleting an account")
def delete_account(actor: Actor, user: User) -> None:
    """Raises NotNow where the records name the account, for the last administrator, and for oneself."""
    name = user.get_username()
    if name == actor.name:
        raise NotNow("You cannot delete yourself. Another administrator can.")
    demand_another_administrator(user, f"Deleting {name}")
    if hanging := what_hangs_on(user):
        raise NotNow(f"{name} cannot be deleted: {hanging}. Disable the account instead; the records stay readable.")
    shut_out_user(user)
    user.delete()
    write(actor, "deleted", "person", name)
    announce("person", name)
