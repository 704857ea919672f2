"""Starts a rollout, or asks for a second person's approval where a paddock wants one."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from django.utils import timezone

from paddock_core.rollout import HostStep, RolloutInvalid, Rules, plan

from ...changes import announce
from ...errors import Invalid, NotNow
from ...hosts.models import Host
from ...install.versions import AgentVersion
from ...logbook.write import write
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import checks_itself
from ...storage import action
from ..candidates import candidates, demand_version, version_of, why_left_out
from ..models import OPEN_STATES, RULE_FIELDS, UNFINISHED, Rollout, RolloutHost

MAX_HOSTS = 5000
WHAT = "Upgrading agents"


@action
@checks_itself("in the paddock of each host")
def start_rollout(
    actor: Actor, version: str, hosts: Sequence[Host], chosen_by: str, given: Mapping[str, Any]
) -> Rollout:
    """A rollout of a version, "" for the newest, over these hosts. ``given`` are rules by the names of their fields.
    Raises Invalid for a version that this server does not hold, for rules that cannot be followed, and where no host
    can be reached; NotNow for a host that is in another rollout."""
    _demand_hosts(actor, hosts)
    held = demand_version(version)
    rollout = Rollout(
        version=held.version,
        chosen_by=chosen_by[:2000],
        asked_by=actor.name,
        asked_at=timezone.now(),
        **{field: given[field] for field in RULE_FIELDS if field in given},
    )
    _demand_free(hosts)
    waves = waves_of(rollout.rules, hosts, held)
    reasons = {host.name: why_left_out(host, held) for host in hosts}
    if not any(waves):
        first = next(iter(sorted(reasons)), "")
        raise Invalid(f"No host can be upgraded to {held.version}. {first}: {reasons[first]}")
    targets = {host.pk: held.version for host in hosts}
    return _begin(actor, rollout, hosts, waves, reasons, targets)


def _demand_hosts(actor: Actor, hosts: Sequence[Host]) -> None:
    if not 0 < len(hosts) <= MAX_HOSTS:
        raise Invalid(
            "No host is chosen: name some, or terms that some meet."
            if not hosts
            else f"A rollout goes over at most {MAX_HOSTS} hosts."
        )
    for paddock in {host.paddock.name for host in hosts}:
        actor.demand(Role.ADMINISTRATOR, paddock, WHAT)


def _demand_free(hosts: Sequence[Host]) -> None:
    """Raises NotNow for a host in another rollout. One that another has not reached, and that has ended, is taken
    over."""
    others = RolloutHost.objects.filter(host__in=hosts, step__in=UNFINISHED).select_related("host", "rollout")
    busy = others.filter(rollout__state__in=OPEN_STATES) | others.exclude(
        step__in=(HostStep.WAITING.value, HostStep.UNREACHABLE.value)
    )
    if other := busy.first():
        raise NotNow(f"{other.host.name} is in rollout {other.rollout_id} already. Stop that one first.")


def waves_of(rules: Rules, hosts: Sequence[Host], version: AgentVersion) -> list[list[str]]:
    """The plan of the core. Raises Invalid."""
    try:
        return plan(rules, candidates(hosts, version))
    except RolloutInvalid as error:
        raise Invalid(str(error), errors=[{"pointer": "/waves", "detail": str(error)}]) from None


def _begin(
    actor: Actor,
    rollout: Rollout,
    hosts: Sequence[Host],
    waves: Sequence[Sequence[str]],
    reasons: Mapping[str, str],
    targets: Mapping[int, str],
) -> Rollout:
    wants_approval = sorted({host.paddock.name for host in hosts if host.paddock.rollouts_need_approval})
    rollout.state = "waiting for approval" if wants_approval else "rolling"
    rollout.save()
    now = timezone.now()
    RolloutHost.objects.filter(host__in=hosts, step=HostStep.UNREACHABLE.value).update(
        step=HostStep.LEFT_OUT.value, detail=f"Rollout {rollout.pk} took it over.", ended_at=now
    )
    by_name = {host.name: host for host in hosts}
    order = [(number, name) for number, wave in enumerate(waves) for name in wave]
    left_out = sorted(name for name, why in reasons.items() if why)
    rows = [
        RolloutHost(
            rollout=rollout, place=place, wave=wave, host=by_name[name], version=targets[by_name[name].pk],
            before=version_of(by_name[name]),
        )
        for place, (wave, name) in enumerate([*order, *((0, name) for name in left_out)])
    ]  # fmt: skip
    for row in rows[len(order) :]:
        row.step, row.detail, row.ended_at = HostStep.LEFT_OUT.value, reasons[row.host.name], now
    RolloutHost.objects.bulk_create(rows)
    details: dict[str, Any] = {"hosts": [name for _, name in order][:50], "left_out": left_out[:50]}
    if wants_approval:
        details["needs_approval"] = wants_approval
    write(actor, "started", "rollout", str(rollout.pk), details={"version": rollout.version, **details})
    announce("rollout", rollout.pk)
    return rollout


def _demand_all(actor: Actor, rollout: Rollout, what: str) -> None:
    """In the paddocks of all its hosts, those too that the actor cannot see."""
    for paddock in set(rollout.hosts.values_list("host__paddock__name", flat=True)):
        actor.demand(Role.ADMINISTRATOR, paddock, what)


@action
@checks_itself("in the paddock of each host")
def approve(actor: Actor, rollout: Rollout, *, yes: bool) -> None:
    """A second person approves or declines. Raises NotNow for a rollout that needs no approval, or that the same person
    asked for."""
    _demand_all(actor, rollout, "Approving a rollout")
    if rollout.state != "waiting for approval":
        raise NotNow(f"Rollout {rollout.pk} waits for no approval: it is {rollout.state}.")
    if yes and actor.name == rollout.asked_by:
        raise NotNow("Another person must approve it: you asked for it yourself.")
    rollout.approved_by = actor.name if yes else ""
    if yes:
        _set(actor, rollout, "rolling", "approved")
    else:
        _leave_out(rollout, f"{actor.name} turned it down.")
        _set(actor, rollout, "turned down", "turned down")


@action
@checks_itself("in the paddock of each host")
def pause(actor: Actor, rollout: Rollout) -> None:
    """No host begins until it is resumed; those at work finish. Raises NotNow unless it is rolling."""
    _demand_all(actor, rollout, "Pausing a rollout")
    if rollout.state != "rolling":
        raise NotNow(f"Rollout {rollout.pk} cannot be paused: it is {rollout.state}.")
    _set(actor, rollout, "paused", "paused")


@action
@checks_itself("in the paddock of each host")
def resume(actor: Actor, rollout: Rollout) -> None:
    """Goes on. Raises NotNow unless it is paused."""
    _demand_all(actor, rollout, "Resuming a rollout")
    if rollout.state != "paused":
        raise NotNow(f"Rollout {rollout.pk} cannot be resumed: it is {rollout.state}.")
    _set(actor, rollout, "rolling", "resumed")


@action
@checks_itself("in the paddock of each host")
def stop_rollout(actor: Actor, rollout: Rollout) -> None:
    """No other host begins, and those that have not switched yet keep their version. Raises NotNow for one that is
    over."""
    _demand_all(actor, rollout, "Stopping a rollout")
    if rollout.state == "waiting for approval":
        approve(actor, rollout, yes=False)
        return
    if not rollout.hosts.filter(step__in=UNFINISHED).exists():
        raise NotNow(f"Rollout {rollout.pk} cannot be stopped: it is {rollout.state}.")
    rollout.stopped_by = actor.name
    _leave_out(rollout, f"{actor.name} stopped the rollout.")
    _set(actor, rollout, "stopped", "stopped")


def _leave_out(rollout: Rollout, why: str) -> None:
    """The hosts that wait. Those at work hear of it from the server's next answer."""
    waiting = rollout.hosts.filter(step__in=(HostStep.WAITING.value, HostStep.UNREACHABLE.value))
    waiting.update(step=HostStep.LEFT_OUT.value, detail=why, ended_at=timezone.now())


@action
@checks_itself("in the paddock of each host")
def go_back_for_all(actor: Actor, rollout: Rollout) -> Rollout:
    """Stops the rollout, and takes every host that it has proven back to the version that it had. Raises NotNow where
    there is none, Invalid where this server does not hold one of those versions."""
    _demand_all(actor, rollout, "Taking a rollout back")
    rows = list(rollout.hosts.filter(step=HostStep.PROVEN.value).select_related("host__paddock", "host__health"))
    rows = [row for row in rows if version_of(row.host) == row.version]
    if not rows:
        raise NotNow(f"No host runs the version of rollout {rollout.pk}: nothing can go back.")
    held = {version: demand_version(version) for version in {row.before for row in rows}}
    if rollout.state in OPEN_STATES:
        stop_rollout(actor, rollout)
    hosts = [row.host for row in rows]
    _demand_free(hosts)
    back = Rollout(
        undoes=rollout, chosen_by=f"the hosts of rollout {rollout.pk}", asked_by=actor.name, asked_at=timezone.now(),
        canaries=False, stop_after=0, per_paddock=rollout.per_paddock, per_kind=rollout.per_kind,
        drain_limit=rollout.drain_limit, proof_limit=rollout.proof_limit,
    )  # fmt: skip
    reasons = {row.host.name: why_left_out(row.host, held[row.before]) for row in rows}
    waves = [[], [row.host.name for row in rows if not reasons[row.host.name]]]
    return _begin(actor, back, hosts, waves, reasons, {row.host_id: row.before for row in rows})


def _set(actor: Actor, rollout: Rollout, state: str, verb: str) -> None:
    rollout.state = state
    if state in ("stopped", "turned down"):
        rollout.ended_at = timezone.now()
    rollout.save()
    write(actor, verb, "rollout", str(rollout.pk), details={"version": rollout.version})
    announce("rollout", rollout.pk)
