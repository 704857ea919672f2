"""A person asks for a role in a paddock, and an administrator of that paddock decides."""

from __future__ import annotations

from datetime import datetime, timedelta

from django.contrib.auth.models import User
from django.utils import timezone

from ...changes import announce
from ...errors import Invalid, NotNow
from ...hosts.models import Paddock
from ...logbook.write import write
from ...people.actor import Actor, rank_of
from ...people.models import AccessRequest, Role
from ...people.permission import checks_itself, requires
from ...storage import action
from ..grants import give_role, own_grants

MAX_OPEN = 20
"""Max open requests per person."""


@action
@checks_itself("asking for access is for all who are logged in")
def request_access(actor: Actor, user: User, role: Role, paddock: Paddock, reason: str) -> AccessRequest:
    """Asking again replaces the reason. Raises Invalid without a reason, NotNow for a role that the person has."""
    if not reason.strip():
        detail = "Say what you need it for. An administrator decides by that."
        raise Invalid(detail, errors=[{"pointer": "/reason", "detail": detail}])
    if actor.may(role, paddock.name):
        raise NotNow(f"You are {role} in {paddock.name} already.")
    still_open = AccessRequest.objects.filter(user=user, decided_at=None)
    made = still_open.filter(role=role, paddock=paddock).first()
    if made is None and still_open.count() >= MAX_OPEN:
        raise NotNow(f"You have {MAX_OPEN} open requests. Wait until some are decided.")
    made = made or AccessRequest(user=user, role=role, paddock=paddock, asked_at=timezone.now())
    made.reason = reason.strip()
    made.save()
    write(actor, "requested", "access", actor.name, paddock.name, {"role": role.value, "reason": made.reason})
    announce("access", made.pk, paddock.name)
    return made


@action
@requires(Role.ADMINISTRATOR, "Granting access", of="request.paddock.name")
def decide_access(actor: Actor, request: AccessRequest, *, grant: bool, days: int | None = None) -> None:
    """Grants for good, or for some ``days``. Raises NotNow for a request that is decided already. A role that the
    person got in the meantime is never lowered or shortened."""
    if request.decided_at:
        raise NotNow(f"{request.decided_by} has decided this request already.")
    if grant:
        ends_at = timezone.now() + timedelta(days=days) if days else None
        if _is_more(request.user, Role(request.role), request.paddock, ends_at):
            give_role(request.user, request.paddock, Role(request.role), ends_at, actor.name)
    request.decided_at, request.decided_by, request.granted = timezone.now(), actor.name, grant
    request.save(update_fields=["decided_at", "decided_by", "granted"])
    verb = "granted" if grant else "declined"
    details = {"role": request.role} | ({"days": days} if grant and days else {})
    write(actor, verb, "access", request.user.get_username(), request.paddock.name, details)
    announce("access", request.pk, request.paddock.name)


def _is_more(user: User, role: Role, paddock: Paddock, ends_at: datetime | None) -> bool:
    """Whether the person has no role as high, or as lasting, in the paddock yet."""
    enough = [held for held in own_grants(user, paddock) if rank_of(Role(held.role)) >= rank_of(role)]
    return not any(held.ends_at is None or (ends_at is not None and held.ends_at >= ends_at) for held in enough)
