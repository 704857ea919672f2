"""Replaces an entry pass by a fresh one of the same kind: the old one dies in the same moment."""

from __future__ import annotations

from datetime import timedelta

from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import requires
from ...storage import action
from ..models import EntryPass
from .make_pass import make_pass
from .revoke_pass import revoke_pass

AN_HOUR = timedelta(hours=1)


@action
@requires(Role.ADMINISTRATOR, "Making an entry pass", of="old.paddock.name")
def replace_pass(actor: Actor, old: EntryPass) -> tuple[EntryPass, str]:
    """The new pass and its secret, with the time and the uses that the old one was made with. An old one that is not
    longer good can be replaced as well."""
    if old.revoked_at is None:
        revoke_pass(actor, old)
    hours = max(1, round((old.ends_at - old.made_at) / AN_HOUR))
    return make_pass(actor, old.paddock, old.name, hours, old.uses, tuple(old.labels), old.slots)
