"""Makes, changes and removes kits."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from django.db import transaction

from ...changes import announce
from ...errors import Invalid
from ...hosts.models import Paddock
from ...logbook.write import write
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import checks_itself
from ...storage import action
from .. import fleet_vocabulary
from ..models import Kit
from ..terms_input import read_terms

MAX_KITS = 500


@dataclass(frozen=True)
class Wanted:
    """What a kit is to be. ``paddocks`` are names; a host with one of the ``labels`` is meant too."""

    name: str
    purpose: str
    terms: Sequence[str]
    paddocks: Sequence[str]
    labels: Sequence[str]


@action
@checks_itself("in each paddock of the kit, before and after; for everything where it is for labels")
def save_kit(actor: Actor, wanted: Wanted, kit: Kit | None = None) -> Kit:
    """Makes a kit, or changes one. Raises Invalid for terms that cannot be read, a name that is taken, or a paddock
    that is not there. Whoever puts a kit on labels needs the role everywhere, for any host may have a label."""
    _demand(actor, wanted.paddocks, wanted.labels)
    if kit is not None:
        _demand(actor, [one.name for one in kit.paddocks.all()], kit.labels)
    if not wanted.terms:
        raise Invalid("A kit has at least one term, as `tool jdk 17..21`.", errors=[_at("/terms", "at least one")])
    read = read_terms(wanted.terms)
    same = Kit.objects.filter(name__iexact=wanted.name).exclude(pk=kit.pk if kit else 0)
    if same.exists():
        raise Invalid(f"There is a kit called {wanted.name} already.", errors=[_at("/name", "taken")])
    if kit is None and Kit.objects.count() >= MAX_KITS:
        raise Invalid(f"There are {MAX_KITS} kits; remove one first.")
    put_on = list(Paddock.objects.filter(name__in=wanted.paddocks))
    if missing := set(wanted.paddocks) - {one.name for one in put_on}:
        names = ", ".join(sorted(missing))
        raise Invalid(f"No paddock is called {names}.", errors=[_at("/paddocks", f"not there: {names}")])
    before = {} if kit is None else {"was": kit.terms}
    verb = "made" if kit is None else "changed"
    kit = kit or Kit()
    kit.name, kit.purpose, kit.changed_by = wanted.name, wanted.purpose, actor.name
    kit.terms, kit.labels = [str(term) for term in read], sorted(set(wanted.labels))
    kit.save()
    kit.paddocks.set(put_on)
    write(
        actor,
        verb,
        "kit",
        kit.name,
        details={"terms": kit.terms, "paddocks": sorted(wanted.paddocks), "labels": kit.labels, **before},
    )
    _heard_of(kit)
    return kit


@action
@checks_itself("in each paddock of the kit, before and after; for everything where it is for labels")
def remove_kit(actor: Actor, kit: Kit) -> None:
    """Takes a kit away; the logbook keeps its terms."""
    _demand(actor, [one.name for one in kit.paddocks.all()], kit.labels)
    write(actor, "removed", "kit", kit.name, details={"terms": kit.terms})
    kit.delete()
    _heard_of(kit)


def _heard_of(kit: Kit) -> None:
    """Terms that name it are parsed again, now and after the commit; waiting jobs may fit now."""
    fleet_vocabulary.forget()
    transaction.on_commit(fleet_vocabulary.forget)
    announce("kit", kit.name)


def _demand(actor: Actor, paddocks: Sequence[str], labels: Sequence[str]) -> None:
    if labels or not paddocks:
        actor.demand(Role.ADMINISTRATOR, None, "Keeping a kit for hosts by label, or for none")
    for name in paddocks:
        actor.demand(Role.ADMINISTRATOR, name, "Keeping a kit of a paddock")


def _at(pointer: str, detail: str) -> dict[str, str]:
    return {"pointer": pointer, "detail": detail}
