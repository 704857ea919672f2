"""Rollouts and the spread of versions, as people may see them."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, field

from django.db.models import Prefetch, QuerySet

from ..errors import NotAllowed, NotThere
from ..hosts.models import Host
from ..hosts.queries import visible_hosts
from ..install.index import order_key
from ..install.versions import AgentVersion, held_versions
from ..people.actor import Actor
from ..people.models import Role
from .actions.roll_on import next_of
from .candidates import version_of, why_left_out
from .models import OPEN_STATES, UNFINISHED, Rollout, RolloutHost

MAX_BEHIND = 500


@dataclass(frozen=True)
class PaddockVersions:
    """How many hosts of a paddock run which version, newest first."""

    paddock: str
    versions: list[tuple[str, int]]
    follows: bool


@dataclass(frozen=True)
class HostBehind:
    """A host whose agent is older than the newest. ``reason`` is why a rollout could not reach it, "" where it could;
    ``rollout`` is the open one that it is in, 0 for none."""

    host: str
    paddock: str
    version: str
    link: str
    reason: str
    rollout: int


@dataclass(frozen=True)
class VersionsShown:
    """``held`` are the versions that this server holds, newest first; ``behind`` the first MAX_BEHIND of all hosts that
    are."""

    held: list[AgentVersion]
    paddocks: list[PaddockVersions] = field(default_factory=list)
    behind: list[HostBehind] = field(default_factory=list)
    behind_count: int = 0


def demand_viewer(actor: Actor) -> None:
    """Raises NotAllowed for one who may see nothing."""
    if not actor.may_anywhere(Role.VIEWER):
        raise NotAllowed("Seeing rollouts needs the role viewer. Ask an administrator for it.")


def versions_shown(actor: Actor) -> VersionsShown:
    """The spread of versions over the hosts that the actor may see. Raises NotAllowed."""
    demand_viewer(actor)
    held = held_versions()
    hosts = [host for host in visible_hosts(actor).filter(standing=Host.Standing.ADMITTED) if version_of(host)]
    by_paddock: dict[str, Counter[str]] = {}
    follows: dict[str, bool] = {}
    for host in hosts:
        by_paddock.setdefault(host.paddock.name, Counter())[version_of(host)] += 1
        follows[host.paddock.name] = host.paddock.follows_versions
    paddocks = [
        PaddockVersions(name, sorted(counts.items(), key=lambda one: order_key(one[0]), reverse=True), follows[name])
        for name, counts in sorted(by_paddock.items())
    ]
    newest = held[0] if held else None
    behind = [one for one in hosts if newest and order_key(version_of(one)) < order_key(newest.version)]
    open_rows = RolloutHost.objects.filter(step__in=UNFINISHED, rollout__state__in=OPEN_STATES)
    rolling = dict(open_rows.values_list("host_id", "rollout_id"))
    shown = [
        HostBehind(
            host.name, host.paddock.name, version_of(host), host.link, why_left_out(host, newest),
            rolling.get(host.pk, 0),
        )
        for host in behind[:MAX_BEHIND]
        if newest
    ]  # fmt: skip
    return VersionsShown(held, paddocks, shown, len(behind))


def visible_rollouts(actor: Actor) -> QuerySet[Rollout]:
    """The rollouts over a host that the actor may see, each with those hosts alone. Raises NotAllowed."""
    demand_viewer(actor)
    rows = RolloutHost.objects.select_related("host__paddock", "host__health", "proof")
    rollouts = Rollout.objects.all()
    inside = actor.where(Role.VIEWER)
    if inside is not None:
        rows = rows.filter(host__paddock__name__in=inside)
        rollouts = rollouts.filter(pk__in=rows.values("rollout"))
    return rollouts.prefetch_related(Prefetch("hosts", rows))


def rollout_numbered(actor: Actor, pk: int) -> Rollout:
    """Raises NotThere."""
    rollout = visible_rollouts(actor).filter(pk=pk).first()
    if rollout is None:
        raise NotThere(f"No rollout {pk} exists that you may see.")
    return rollout


def waits_of(rollout: Rollout) -> Mapping[str, str]:
    """What each waiting host of an open rollout waits for."""
    if rollout.state == "waiting for approval":
        return {}
    rows = list(RolloutHost.objects.filter(rollout=rollout).select_related("host__paddock", "host__health"))
    return next_of(rollout, rows).waits
