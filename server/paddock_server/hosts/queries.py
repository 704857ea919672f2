"""Hosts, paddocks and passes as people may see them."""

from __future__ import annotations

from django.db.models import QuerySet
from rest_framework.request import Request

from .. import secret
from ..errors import NotThere
from ..people.actor import Actor
from ..people.models import Role
from .models import LIVING, EntryPass, Host, Paddock


def visible_hosts(actor: Actor) -> QuerySet[Host]:
    """The living hosts that the actor may see."""
    return visible_records(actor).filter(standing__in=LIVING)


def visible_records(actor: Actor) -> QuerySet[Host]:
    """All hosts that the actor may see, those that were retired or turned away as well."""
    hosts = Host.objects.select_related("paddock", "joined_with", "health")
    paddocks = actor.where(Role.VIEWER)
    return hosts if paddocks is None else hosts.filter(paddock__name__in=paddocks)


def visible_paddocks(actor: Actor) -> QuerySet[Paddock]:
    """The paddocks that the actor may see."""
    paddocks = actor.where(Role.VIEWER)
    return Paddock.objects.all() if paddocks is None else Paddock.objects.filter(name__in=paddocks)


def host_called(actor: Actor, name: str) -> Host:
    """The living host of this name, whatever its case. Raises NotThere."""
    host = visible_hosts(actor).filter(name__iexact=name).first()
    if host is None:
        raise NotThere(f"No host called {name} exists that you may see.")
    return host


def record_called(actor: Actor, name: str) -> Host:
    """The host of this name to read: the living one, or else the last that was retired or turned away. Raises
    NotThere."""
    living = visible_hosts(actor).filter(name__iexact=name).first()
    past = visible_records(actor).filter(name__iexact=name).order_by("-decided_at", "-pk")
    host = living or past.first()
    if host is None:
        raise NotThere(f"No host called {name} exists that you may see.")
    return host


def host_with_key(key: str) -> Host | None:
    """The living host whose agent has this key."""
    if not key:
        return None
    found = Host.objects.select_related("paddock").filter(key_digest=secret.digest(key), standing__in=LIVING)
    return found.first()


def host_with_watch_key(key: str) -> Host | None:
    """The living host whose watch has this key."""
    if not key:
        return None
    return Host.objects.select_related("paddock").filter(watch_digest=secret.digest(key), standing__in=LIVING).first()


def bearer_of(request: Request) -> str:
    """The key that a caller shows; "" for none."""
    kind, _, key = request.headers.get("Authorization", "").partition(" ")
    return key.strip() if kind.lower() == "bearer" else ""


def paddock_called(actor: Actor, name: str) -> Paddock:
    """The paddock of this name, stray spaces and case aside. Raises NotThere."""
    paddock = visible_paddocks(actor).filter(name__iexact=name.strip()).first()
    if paddock is None:
        known = ", ".join(visible_paddocks(actor).values_list("name", flat=True)[:20]) or "none yet"
        raise NotThere(f'No paddock is called "{name.strip()}". Known paddocks: {known}.')
    return paddock


def pass_numbered(actor: Actor, pk: int) -> EntryPass:
    """An entry pass of a paddock that the actor may see. Raises NotThere."""
    found = EntryPass.objects.select_related("paddock").filter(pk=pk, paddock__in=visible_paddocks(actor)).first()
    if found is None:
        raise NotThere(f"No pass {pk} exists that you may see.")
    return found
