"""The way back in where no administrator can log in any more: by whoever has the server's data folder."""

from __future__ import annotations

from django.contrib.auth.models import User

from ...logbook.write import write
from ...people.accounts import new_user
from ...people.actor import Actor
from ...people.models import Account, Role, account_of
from ...people.permission import requires
from ...storage import action
from ..grants import give_role
from .reset_log_in import reset_log_in


@action
@requires(Role.ADMINISTRATOR, "Rescuing access")
def rescue(actor: Actor, name: str) -> str:
    """Makes the person an enabled administrator for everything, without passkeys, and returns the secret of a one-time
    link to set a password. A person who is not there is added. Raises NotNow for a service account, Invalid for a name
    that cannot be one."""
    user = User.objects.filter(username=name).first() or new_user(name, added_by=actor.name)
    if account_of(user).kind == "person":
        user.is_active = True
        user.save(update_fields=["is_active"])
        Account.objects.filter(user=user).update(disabled_at=None, disabled_by="")
        give_role(user, None, Role.ADMINISTRATOR, None, actor.name)
    shown_once = reset_log_in(actor, user, passkeys_too=True)
    write(actor, "rescued", "person", name, details={"role": Role.ADMINISTRATOR})
    return shown_once
