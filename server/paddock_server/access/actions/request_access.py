"""A person asks for a role in a paddock, and an administrator of that paddock decides."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.utils import timezone

from ...changes import announce
from ...errors import Invalid, NotNow
from ...hosts.models import Paddock
from ...logbook.write import write
from ...people.actor import Actor, rank_of
from ...people.models import AccessRequest, Grant, Role
from ...people.permission import checks_itself, requires
from ...storage import action

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
def decide_access(actor: Actor, request: AccessRequest, *, grant: bool) -> None:
    """Raises NotNow for a request that is decided already. A role that the person got in the meantime is never
    lowered."""
    if request.decided_at:
        raise NotNow(f"{request.decided_by} has decided this request already.")
    if grant:
        held = Grant.objects.filter(user=request.user, paddock=request.paddock).first()
        if held is None:
            Grant.objects.create(user=request.user, paddock=request.paddock, role=request.role)
        elif rank_of(Role(held.role)) < rank_of(Role(request.role)):
            held.role = request.role
            held.save(update_fields=["role"])
    request.decided_at, request.decided_by, request.granted = timezone.now(), actor.name, grant
    request.save(update_fields=["decided_at", "decided_by", "granted"])
    verb = "granted" if grant else "declined"
    write(actor, verb, "access", request.user.get_username(), request.paddock.name, {"role": request.role})
    announce("access", request.pk, request.paddock.name)
