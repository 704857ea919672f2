"""Saves maintenance windows, one by one or from a calendar file, and deletes them."""

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
from ..calendar_import import ImportedWindow
from ..models import MaintenanceWindow
from ..times import MAX_DURATION, MovedTime, demand_moment, look_ahead, zone_called

MAX_EXCEPTIONS = 500
"""Cancelled and moved occurrences of one window."""


@action
@checks_itself("the place is named, and a change of place needs both")
def save_window(
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
    moved: Sequence[MovedTime] = (),
    uid: str = "",
) -> MaintenanceWindow:
    """``place`` is a paddock or a host. A plan with a ``uid`` that is known replaces that one. Raises Invalid."""
    host, paddock = _place(place)
    actor.demand(Role.OPERATOR, paddock.name, "Planning maintenance")
    _demand_length(starts_at, ends_at)
    place_of_clock = zone_called(zone)
    demand_moment(starts_at, "/starts_at")
    for time in moved:
        _demand_length(time.starts_at, time.ends_at)
        demand_moment(time.starts_at, "/starts_at")
    if len(left_out) + len(moved) > MAX_EXCEPTIONS:
        raise Invalid(f"“{what}” has more than {MAX_EXCEPTIONS} cancelled or moved occurrences.")
    given = {
        "what": what, "paddock": paddock, "host": host, "how": how, "starts_at": starts_at, "ends_at": ends_at,
        "zone": zone, "left_out": list(left_out),
        "moved": [time.as_saved() for time in moved], **_times_of(rule, starts_at, place_of_clock),
    }  # fmt: skip
    before = MaintenanceWindow.objects.filter(uid=uid).select_related("paddock").first() if uid else None
    if before:
        actor.demand(Role.OPERATOR, before.paddock.name, "Changing maintenance windows")
    window, is_new = MaintenanceWindow.objects.update_or_create(
        uid=uid or f"{uuid.uuid4()}@yellow-paddock", defaults=given, create_defaults={**given, "made_by": actor.name}
    )
    verb = "planned maintenance of" if is_new else "changed the maintenance of"
    write(
        actor,
        verb,
        "host" if host else "paddock",
        place,
        paddock.name,
        {"what": what, "starts": starts_at.isoformat(), "ends": ends_at.isoformat(), "rule": window.rule},
    )
    announce("maintenance window", window.pk)
    return window


@action
@requires_anywhere(Role.OPERATOR, "Planning maintenance")
def save_all(actor: Actor, read: Sequence[ImportedWindow], place: str, how: str) -> Mapping[str, int]:
    """All events of a calendar, or none. A cancelled event deletes its window. ``place`` is for events that name no
    host or paddock."""
    counts = {"new": 0, "changed": 0, "cancelled": 0}
    for one in read:
        known = MaintenanceWindow.objects.filter(uid=one.uid).first() if one.uid else None
        if one.is_cancelled:
            if known:
                delete_window(actor, known)
                counts["cancelled"] += 1
            continue
        where = one.place if one.place and _is_known(one.place) else place
        if not where:
            raise Invalid(
                f"“{one.what}” says with its location {one.place[:60]!r} no host and no paddock: choose one for those."
            )
        save_window(
            actor, one.what, where, one.starts_at, one.ends_at, how=how, zone=one.zone, rule=one.rule,
            left_out=one.left_out, moved=one.moved, uid=one.uid,
        )  # fmt: skip
        counts["changed" if known else "new"] += 1
    return counts


@action
@requires(Role.OPERATOR, "Cancelling maintenance", of="window.paddock.name")
def delete_window(actor: Actor, window: MaintenanceWindow) -> None:
    """Deletes a window. Hosts that it holds now stay held until a person resumes them or the time is over."""
    name = window.host.name if window.host else window.paddock.name
    write(
        actor,
        "cancelled the maintenance of",
        "host" if window.host else "paddock",
        name,
        window.paddock.name,
        {"what": window.what},
    )
    window.delete()
    announce("maintenance window", name)


def _demand_length(starts_at: datetime, ends_at: datetime) -> None:
    if not timedelta(minutes=1) <= ends_at - starts_at <= MAX_DURATION:
        detail = f"A maintenance window lasts from 1 minute to {MAX_DURATION.days} days, and ends after it starts."
        raise Invalid(detail, errors=[{"pointer": "/ends_at", "detail": detail}])


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
    detail = f"No host or paddock is called {name[:63]!r}."
    raise Invalid(detail, errors=[{"pointer": "/place", "detail": detail}])


def _is_known(name: str) -> bool:
    try:
        _place(name)
    except Invalid:
        return False
    return True
