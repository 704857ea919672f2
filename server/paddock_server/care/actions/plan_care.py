"""Plans care, typed in or from a calendar, and takes it back."""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from django.utils import timezone

from paddock_core.errors import RuleError
from paddock_core.recurrence import checked_rule

from ...changes import announce
from ...errors import Invalid
from ...hosts.models import LIVING, Host, Paddock
from ...logbook.write import write
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import checks_itself, requires, requires_anywhere
from ...storage import action
from ..calendar_file import ReadCare
from ..models import Care
from ..times import LONGEST, demand_moment, look_ahead, zone_called


@action
@checks_itself("the place is named, and a change of place needs both")
def plan_care(
    actor: Actor,
    what: str,
    place: str,
    starts_at: datetime,
    ends_at: datetime,
    *,
    how: str = "drain",
    zone: str = "UTC",
    rule: str = "",
    left_out: Sequence[str] = (),
    uid: str = "",
) -> Care:
    """``place`` is a paddock or a host. A plan with a ``uid`` that is known replaces that one. Raises Invalid."""
    host, paddock = _place(place)
    actor.demand(Role.OPERATOR, paddock.name, "Planning care")
    if not timedelta(minutes=1) <= ends_at - starts_at <= LONGEST:
        detail = f"Care lasts from a minute to {LONGEST.days} days, and ends after it starts."
        raise Invalid(detail, errors=[{"pointer": "/ends_at", "detail": detail}])
    place_of_clock = zone_called(zone)
    demand_moment(starts_at, "/starts_at")
    given = {
        "what": what, "paddock": paddock, "host": host, "how": how, "starts_at": starts_at, "ends_at": ends_at,
        "zone": zone, "left_out": list(left_out)[:500], **_times_of(rule, starts_at, place_of_clock),
    }  # fmt: skip
    before = Care.objects.filter(uid=uid).select_related("paddock").first() if uid else None
    if before:
        actor.demand(Role.OPERATOR, before.paddock.name, "Changing planned care")
    care, is_new = Care.objects.update_or_create(
        uid=uid or f"{uuid.uuid4()}@yellow-paddock", defaults=given, create_defaults={**given, "made_by": actor.name}
    )
    verb = "planned care for" if is_new else "changed the care of"
    write(
        actor,
        verb,
        "host" if host else "paddock",
        place,
        paddock.name,
        {"what": what, "starts": starts_at.isoformat(), "ends": ends_at.isoformat(), "rule": care.rule},
    )
    announce("care", care.pk)
    return care


@action
@requires_anywhere(Role.OPERATOR, "Planning care")
def plan_all(actor: Actor, read: Sequence[ReadCare], place: str, how: str) -> Mapping[str, int]:
    """All events of a calendar, or none; ``place`` is for those that name none that is known here."""
    counts = {"new": 0, "changed": 0}
    for one in read:
        known = Care.objects.filter(uid=one.uid).exists() if one.uid else False
        where = one.place if one.place and _is_known(one.place) else place
        if not where:
            raise Invalid(
                f"“{one.what}” says with its location {one.place[:60]!r} no host and no paddock: choose one for those."
            )
        plan_care(
            actor, one.what, where, one.starts_at, one.ends_at, how=how, zone=one.zone, rule=one.rule,
            left_out=one.left_out, uid=one.uid,
        )  # fmt: skip
        counts["changed" if known else "new"] += 1
    return counts


@action
@requires(Role.OPERATOR, "Dropping planned care", of="care.paddock.name")
def drop_care(actor: Actor, care: Care) -> None:
    """Takes a plan back. What it holds now stays held until somebody resumes it, or its time is over."""
    name = care.host.name if care.host else care.paddock.name
    write(
        actor, "dropped the care of", "host" if care.host else "paddock", name, care.paddock.name, {"what": care.what}
    )
    care.delete()
    announce("care", name)


def _times_of(rule: str, starts_at: datetime, zone: ZoneInfo) -> dict[str, object]:
    try:
        rule = checked_rule(rule)
        ahead, until = look_ahead(rule, starts_at, zone, timezone.now()) if rule else ([], None)
    except RuleError as error:
        raise Invalid(str(error), errors=[{"pointer": "/rule", "detail": str(error)}]) from None
    return {"rule": rule, "ahead": ahead, "ahead_until": until}


def _place(name: str) -> tuple[Host | None, Paddock]:
    if paddock := Paddock.objects.filter(name__iexact=name).first():
        return None, paddock
    if host := Host.objects.select_related("paddock").filter(name__iexact=name, standing__in=LIVING).first():
        return host, host.paddock
    detail = f"There is no host and no paddock called {name[:63]!r}."
    raise Invalid(detail, errors=[{"pointer": "/place", "detail": detail}])


def _is_known(name: str) -> bool:
    try:
        _place(name)
    except Invalid:
        return False
    return True
