"""Saves how a host is woken, and the standby policies of paddocks and hosts."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.conf import settings

from paddock_agent import wire
from paddock_core.errors import CoreError
from paddock_core.standby.power import Power

from ...changes import announce
from ...errors import Invalid, NotNow
from ...hosts.models import LIVING, Host, Paddock
from ...logbook.write import write
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import checks_itself, requires
from ...storage import action
from ...toolchains.terms_input import terms_of
from ..models import PowerSettings, StandbyPolicy

MAX_TERMS = 20


@action
@requires(Role.ADMINISTRATOR, "Changing how a host is powered", of="host.paddock.name")
def save_power_settings(actor: Actor, host: Host, given: Mapping[str, Any]) -> PowerSettings:
    """Raises Invalid for a hardware address that no network card has."""
    fields = dict(given)
    if fields.get("hardware"):
        try:
            fields["hardware"] = wire.hardware_address(fields["hardware"])
        except ValueError as error:
            raise Invalid(str(error), errors=[{"pointer": "/hardware", "detail": str(error)}]) from None
    row, _ = PowerSettings.objects.update_or_create(host=host, defaults=fields)
    write(actor, "changed the power settings of", "host", host.name, host.paddock.name, fields)
    announce("host", host.name, host.paddock.name)
    return row


@action
@checks_itself("the place is named")
def save_policy(actor: Actor, place: str, given: Mapping[str, Any]) -> StandbyPolicy:
    """``place`` is a paddock or a host. Raises Invalid for one that cannot be."""
    paddock = Paddock.objects.filter(name=place).first()
    host = None if paddock else Host.objects.filter(name=place, standing__in=LIVING).select_related("paddock").first()
    if paddock is None and host is None:
        raise Invalid(f"There is no paddock or host {place[:63]}.")
    inside = paddock or (host.paddock if host else None)
    assert inside is not None
    actor.demand(Role.ADMINISTRATOR, inside.name, "Changing standby policies")
    fields = dict(given)
    least = settings.STANDBY_SETTLE_SECONDS
    if fields.get("up_seconds", least) < least:
        raise Invalid(
            f"A host stays on for at least {least / 60:.0f} minutes after it came up, so that it does not go "
            "up and down all the time.",
            errors=[{"pointer": "/up_seconds", "detail": "too short"}],
        )
    if host and (fields.get("keep_awake") or fields.get("keep_free")):
        raise Invalid("How many hosts stay awake is set for a paddock, not for one host.")
    try:
        terms_of(tuple(fields.get("terms", ())[:MAX_TERMS]))
    except CoreError as error:
        raise Invalid(str(error), errors=[{"pointer": "/terms", "detail": str(error)}]) from None
    row, _ = StandbyPolicy.objects.update_or_create(
        paddock=inside, host=host, defaults={**fields, "changed_by": actor.name}
    )
    details = {name: str(value) for name, value in fields.items()}
    write(actor, "changed the standby policy of", "host" if host else "paddock", place, inside.name, details)
    announce("standby policy", row.pk, inside.name)
    return row


@action
@requires(Role.ADMINISTRATOR, "Changing standby policies", of="policy.paddock.name")
def remove_policy(actor: Actor, policy: StandbyPolicy) -> None:
    """Hosts that sleep by it stay asleep until they are woken. Raises NotNow while some do."""
    hosts = Host.objects.filter(paddock=policy.paddock, power=Power.ASLEEP.value)
    asleep = (hosts.filter(pk=policy.host_id) if policy.host_id else hosts).values_list("name", flat=True)
    if names := list(asleep[:5]):
        raise NotNow(f"{', '.join(names)} would sleep for ever. Wake them first.")
    place = policy.host.name if policy.host else policy.paddock.name
    policy.delete()
    noun = "host" if policy.host else "paddock"
    write(actor, "removed the standby policy of", noun, place, policy.paddock.name)
    announce("standby policy", place, policy.paddock.name)
