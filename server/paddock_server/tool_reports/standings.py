"""How hosts stand to the kits that are put on them."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence

from paddock_core import fleet as core
from paddock_core.kits import Effect, Standing, Stands, effect, standing

from ..toolchains.models import Kit
from ..toolchains.terms_input import terms_of
from ..work.fleet import fleet

IN_KIT = (Stands.MEETS, Stands.AHEAD)


def meant(hosts: Iterable[core.Host], paddocks: Collection[str], labels: Collection[str]) -> list[core.Host]:
    """The admitted hosts that a kit is put on."""
    wanted = {label.lower() for label in labels}
    return [one for one in hosts if one.is_admitted and (one.paddock in paddocks or wanted & one.labels)]


def standings(kit: Kit, hosts: Iterable[core.Host]) -> dict[str, Standing]:
    """Each host that the kit is put on, by name."""
    terms = terms_of(tuple(kit.terms))
    paddocks = [one.name for one in kit.paddocks.all()]
    return {one.name: standing(terms, one) for one in meant(hosts, paddocks, kit.labels)}


def all_standings(kits: Iterable[Kit], hosts: Sequence[core.Host]) -> list[tuple[Kit, dict[str, Standing]]]:
    """The same for several kits."""
    return [(kit, standings(kit, hosts)) for kit in kits]


def effect_of(
    kit: Kit | None, terms: Sequence[str], paddocks: Collection[str], labels: Collection[str]
) -> tuple[Effect, dict[str, Standing]]:
    """What a kit, made or changed so, would do; and how the hosts would stand."""
    hosts = fleet()
    before = {} if kit is None else {name: one.stands in IN_KIT for name, one in standings(kit, hosts).items()}
    read = terms_of(tuple(terms))
    after = {one.name: standing(read, one) for one in meant(hosts, paddocks, labels)}
    return effect(before, {name: one.stands in IN_KIT for name, one in after.items()}), after
