"""Which kits a person may see: those that are put on hosts of their paddocks, and those that they keep themselves."""

from __future__ import annotations

from django.db.models import Q, QuerySet

from ..errors import NotThere
from ..hosts.queries import visible_hosts
from ..people.actor import Actor
from ..people.models import Role
from .models import Kit


def visible_kits(actor: Actor) -> QuerySet[Kit]:
    """Raises NotThere for people without a role."""
    if not actor.may_anywhere(Role.VIEWER):
        raise NotThere("There is nothing here that you may see.")
    kits = Kit.objects.prefetch_related("paddocks")
    seen = actor.where(Role.VIEWER)
    if seen is None:
        return kits
    labels = {label for labels in visible_hosts(actor).values_list("labels", flat=True) for label in labels}
    on_labels = [kit.pk for kit in kits if labels & set(kit.labels)]
    inside = Q(paddocks__name__in=seen) | Q(pk__in=on_labels) | Q(changed_by=actor.name)
    return kits.filter(pk__in=Kit.objects.filter(inside).values("pk"))


def kit_called(actor: Actor, name: str) -> Kit:
    """One kit, whatever the case. Raises NotThere."""
    kit = visible_kits(actor).filter(name__iexact=name).first()
    if kit is None:
        raise NotThere(f"No kit called {name} exists that you may see.")
    return kit
