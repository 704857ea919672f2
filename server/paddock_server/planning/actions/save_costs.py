"""Saves what hosts cost, the target for waits, and the prices that go with them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ...errors import Invalid
from ...hosts.models import LIVING, Host, Paddock
from ...logbook.write import write
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import requires
from ...storage import action
from ..models import Cost, PlanSettings

COST_FIELDS = ("is_rented", "price", "years", "watts", "room", "per_hour", "per_start")


@action
@requires(Role.ADMINISTRATOR, "Saving costs")
def save_cost(actor: Actor, host: str, paddock: str, given: Mapping[str, Any]) -> Cost:
    """The cost of one host, or of each host of a paddock. Raises Invalid."""
    if bool(host) == bool(paddock):
        raise Invalid("Name a host or a paddock.")
    defaults = {name: given[name] for name in COST_FIELDS if name in given}
    if host:
        of_host = Host.objects.filter(name=host, standing__in=LIVING).select_related("paddock").first()
        if of_host is None:
            raise Invalid(f"There is no host {host}.")
        cost, _ = Cost.objects.update_or_create(host=of_host, defaults=defaults)
        write(actor, "saved the cost of", "host", host, of_host.paddock.name, defaults)
        return cost
    of_paddock = Paddock.objects.filter(name=paddock).first()
    if of_paddock is None:
        raise Invalid(f"There is no paddock {paddock}.")
    cost, _ = Cost.objects.update_or_create(paddock=of_paddock, defaults=defaults)
    write(actor, "saved the cost of", "paddock", paddock, paddock, defaults)
    return cost


@action
@requires(Role.ADMINISTRATOR, "Removing costs")
def remove_cost(actor: Actor, cost: Cost) -> None:
    """It counts as not known from then on."""
    about = cost.host or cost.paddock
    assert about is not None
    write(actor, "removed the cost of", "host" if cost.host else "paddock", about.name)
    cost.delete()


@action
@requires(Role.ADMINISTRATOR, "Changing the plan's settings")
def save_plan_settings(actor: Actor, given: Mapping[str, Any]) -> PlanSettings:
    """The target for waits, the currency and the prices."""
    row = plan_settings()
    for name, value in given.items():
        setattr(row, name, value)
    row.pk = 1
    row.save()
    write(actor, "changed", "planning", "settings", details=dict(given))
    return row


def plan_settings() -> PlanSettings:
    """As they are, or the defaults."""
    return PlanSettings.objects.filter(pk=1).first() or PlanSettings(pk=1)
