"""Starts a rollout for each paddock that follows new versions, once other hosts have proven the newest for a day."""

from __future__ import annotations

from datetime import timedelta

from django.utils import timezone

from paddock_core.rollout import HostStep

from ...errors import ActionError
from ...hosts.models import Host, Paddock
from ...install.versions import AgentVersion, held_version
from ...people.actor import SERVER
from ...storage import action
from ..candidates import is_behind, why_left_out
from ..models import UNFINISHED, Rollout, RolloutHost
from .start_rollout import start_rollout

PROVEN_FOR = timedelta(days=1)


@action
def follow_versions() -> list[Rollout]:
    """The rollouts that were started."""
    newest = held_version("")
    if newest is None or not is_trusted(newest):
        return []
    started = []
    for paddock in Paddock.objects.filter(follows_versions=True):
        hosts = _hosts_behind(paddock, newest)
        if hosts:
            try:
                started.append(start_rollout(SERVER, newest.version, hosts, f"{paddock.name} follows new versions", {}))
            except ActionError:
                continue  # one of its hosts is in another rollout: the next look may find it free
    return started


def is_trusted(version: AgentVersion) -> bool:
    """Hosts have proven the version and run it for a day, and no host of a rollout went back from it."""
    rows = RolloutHost.objects.filter(version=version.version)
    if rows.filter(step=HostStep.WENT_BACK.value).exists():
        return False
    return rows.filter(step=HostStep.PROVEN.value, ended_at__lte=timezone.now() - PROVEN_FOR).exists()


def _hosts_behind(paddock: Paddock, newest: AgentVersion) -> list[Host]:
    """Its hosts that can be upgraded, are in no rollout, and have not been in one of this version."""
    tried = RolloutHost.objects.filter(version=newest.version, begun_at__isnull=False).values("host")
    busy = RolloutHost.objects.filter(step__in=UNFINISHED).values("host")
    hosts = Host.objects.filter(paddock=paddock, standing=Host.Standing.ADMITTED).exclude(pk__in=tried)
    hosts = hosts.exclude(pk__in=busy).select_related("paddock", "health")
    return [host for host in hosts if is_behind(host, newest.version) and not why_left_out(host, newest)]
