"""Saves how a host is woken, and the standby policies of paddocks and hosts."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any
from urllib.parse import urlsplit

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
from ...sealing import seal
from ...storage import action
from ...toolchains.terms_input import terms_of
from ..models import PowerSettings, StandbyPolicy, WakeWay
from ..ways.controller_client import tls_of

MAX_TERMS = 20
UNLOGGED = {"controller_password", "script", "certificate"}
"""Secrets, and what is too long for the logbook."""


@action
@requires(Role.ADMINISTRATOR, "Changing how a host is powered", of="host.paddock.name")
def save_power_settings(actor: Actor, host: Host, given: Mapping[str, Any]) -> PowerSettings:
    """``controller_password`` and a ``script_host`` by name are kept as the fields need them; without a password the
    one before stays. Raises Invalid for a hardware address that no network card has, and for a controller that cannot
    be asked."""
    fields = dict(given)
    logged = {name: value for name, value in fields.items() if name not in UNLOGGED}
    before = PowerSettings.objects.filter(host=host).first() or PowerSettings(host=host)
    if fields.get("hardware"):
        try:
            fields["hardware"] = wire.hardware_address(fields["hardware"])
        except ValueError as error:
            raise Invalid(str(error), errors=[{"pointer": "/hardware", "detail": str(error)}]) from None
    fields |= _controller_fields(before, fields)
    fields |= _script_fields(actor, before, fields)
    row, _ = PowerSettings.objects.update_or_create(host=host, defaults=fields)
    _demand_complete(row)
    write(actor, "changed the power settings of", "host", host.name, host.paddock.name, logged)
    announce("host", host.name, host.paddock.name)
    return row


def _controller_fields(before: PowerSettings, given: dict[str, Any]) -> dict[str, Any]:
    """What is kept of a controller. Takes the password out of ``given``."""
    password = given.pop("controller_password", None)
    address, user = (given.get(name, getattr(before, name)) for name in ("controller", "controller_user"))
    is_same = (address, user) == (before.controller, before.controller_user)
    if address:
        _demand_address(address)
    if certificate := given.get("certificate", ""):
        try:
            tls_of(certificate)
        except ValueError as error:
            raise Invalid(str(error), errors=[{"pointer": "/certificate", "detail": str(error)}]) from None
    if password is None:
        if not is_same and bytes(before.controller_password) and address:
            raise Invalid(
                "Enter the password again: it belongs to the controller or the account before.",
                errors=[{"pointer": "/controller_password", "detail": "enter it again"}],
            )
        return {} if is_same else {"controller_password": b"", "refused": ""}
    now = PowerSettings(controller=address, controller_user=user)
    return {"controller_password": seal(now.sealed_for, password) if password else b"", "refused": ""}


def _demand_address(address: str) -> None:
    try:
        parts = urlsplit(address)
        is_right = parts.scheme == "https" and bool(parts.hostname) and parts.path in ("", "/")
        is_right = is_right and not (parts.query or parts.fragment or "@" in parts.netloc) and (parts.port or 443) > 0
    except ValueError:
        is_right = False
    if not is_right:
        raise Invalid(
            "The address of a controller is https:// and its name, as https://192.0.2.7 or https://curlew-04-bmc:8443.",
            errors=[{"pointer": "/controller", "detail": "no such address"}],
        )


def _script_fields(actor: Actor, before: PowerSettings, given: Mapping[str, Any]) -> dict[str, Any]:
    """The script and its host, where one of them changes: it has to be a host where the actor may run anything."""
    was = before.script_host.name if before.script_host else ""
    name = given["script_host"] or "" if "script_host" in given else was
    if (name, given.get("script", before.script)) == (was, before.script):
        return {"script_host": before.script_host}
    if not name:
        return {"script_host": None}
    host = Host.objects.filter(name=name, standing=Host.Standing.ADMITTED).select_related("paddock").first()
    if host is None or not actor.may(Role.VIEWER, host.paddock.name):
        raise Invalid(f"There is no host {name[:63]}.", errors=[{"pointer": "/script_host", "detail": "no such host"}])
    actor.demand(Role.ADMINISTRATOR, host.paddock.name, "Running a script")
    if host.paddock.chores_need_approval:
        raise Invalid(
            f"In {host.paddock.name} a second person approves scripts, and a wake cannot wait for one. Choose a host "
            "of another paddock.",
            errors=[{"pointer": "/script_host", "detail": "scripts need approval there"}],
        )
    return {"script_host": host}


def _demand_complete(row: PowerSettings) -> None:
    """Raises Invalid for a way that has not what it needs."""
    if row.way == WakeWay.REDFISH.value and not row.controller:
        field, what = "controller", "Enter the address of the controller that wakes it."
    elif row.way == WakeWay.SCRIPT.value and not (row.script.strip() and row.script_host_id):
        field, what = "script", "Enter the script that wakes it, and the host on which it runs."
    elif row.script_host_id == row.host_id:
        field, what = "script_host", "The script to wake a host has to run on another one."
    else:
        return
    raise Invalid(what, errors=[{"pointer": f"/{field}", "detail": "is needed"}])


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
