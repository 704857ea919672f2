"""Starts a chore on chosen hosts, or asks for a second person's approval where a paddock wants one."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from django.utils import timezone

from ...changes import announce
from ...errors import Invalid, NotNow
from ...hosts.models import Host, Paddock
from ...logbook.write import write
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import checks_itself, requires
from ...storage import action
from ...toolchains.terms_input import read_terms
from ..models import WORK, Chore, ChoreHost, ChoreRun

MAX_HOSTS = 5000
FIELDS = {"name", "purpose", *WORK} - {"wanted"}


@action
@requires(Role.ADMINISTRATOR, "Keeping a chore")
def save_chore(actor: Actor, given: Mapping[str, Any], wanted: Sequence[str], *, chore: Chore | None = None) -> Chore:
    """Keeps a chore, or changes one that was kept. Raises Invalid for terms that cannot be read."""
    terms = [str(term) for term in read_terms(wanted)]
    kept = chore or Chore(made_by=actor.name)
    for field in FIELDS:
        if field in given:
            setattr(kept, field, given[field])
    kept.wanted = terms
    kept.is_saved = given.get("is_saved", True)
    kept.paddocks = _known_paddocks(given.get("paddocks", kept.paddocks))
    kept.save()
    write(actor, "changed" if chore else "saved", "chore", kept.name, details={"wanted": terms})
    announce("chore", kept.pk)
    return kept


def _known_paddocks(names: Sequence[str]) -> list[str]:
    known = set(Paddock.objects.filter(name__in=names).values_list("name", flat=True))
    if missing := sorted(set(names) - known):
        detail = f"No paddock is called {missing[0]}."
        raise Invalid(detail, errors=[{"pointer": "/paddocks", "detail": detail}])
    return sorted(known)


@action
@checks_itself("in the paddock of each host")
def start_chore(actor: Actor, chore: Chore, hosts: Sequence[Host], chosen_by: str) -> ChoreRun:
    """A run of it over these hosts, in this order. Raises Invalid for no host at all, NotNow for one that is at work on
    another chore: two scripts at once on a machine prove nothing."""
    if not 0 < len(hosts) <= MAX_HOSTS:
        raise Invalid(
            "No host is chosen: name some, or terms that some meet."
            if not hosts
            else f"A chore goes over at most {MAX_HOSTS} hosts at a time."
        )
    for paddock in {host.paddock.name for host in hosts}:
        actor.demand(Role.ADMINISTRATOR, paddock, "Running a chore")
    for host in hosts:
        if host.standing != Host.Standing.ADMITTED:
            raise NotNow(f"{host.name} is not inside: it is {host.standing}. Nothing runs on it.")
    busy = ChoreHost.objects.filter(run__state__in=("waiting for approval", "rolling"), host__in=hosts, ended_at=None)
    if other := busy.select_related("host", "run__chore").first():
        raise NotNow(f"{other.host.name} waits for another chore, {other.run.chore.name}. Stop that one first.")
    wants_approval = sorted({host.paddock.name for host in hosts if host.paddock.chores_need_approval})
    run = ChoreRun.objects.create(
        chore=chore,
        **{field: getattr(chore, field) for field in WORK},
        chosen_by=chosen_by[:2000],
        state="waiting for approval" if wants_approval else "rolling",
        asked_by=actor.name,
        asked_at=timezone.now(),
    )
    ChoreHost.objects.bulk_create(ChoreHost(run=run, place=i, host=host) for i, host in enumerate(hosts))
    more = {"needs_approval": wants_approval} if wants_approval else {}
    write(
        actor,
        "started",
        "chore",
        chore.name,
        details={"run": run.pk, "hosts": [host.name for host in hosts][:50], **more},
    )
    announce("chore", run.pk)
    return run


def _demand_all(actor: Actor, run: ChoreRun, what: str) -> None:
    """In the paddocks of all its hosts, those too that the actor cannot see."""
    for paddock in set(ChoreHost.objects.filter(run=run).values_list("host__paddock__name", flat=True)):
        actor.demand(Role.ADMINISTRATOR, paddock, what)


@action
@checks_itself("in the paddock of each host")
def approve(actor: Actor, run: ChoreRun, *, yes: bool) -> None:
    """A second person approves or declines. Raises NotNow for a run that needs no approval, or that the same person
    asked for."""
    _demand_all(actor, run, "Approving a chore")
    if run.state != "waiting for approval":
        raise NotNow(f"This run waits for no approval: it is {run.state}.")
    if yes and actor.name == run.asked_by:
        raise NotNow("Another person must approve it: you asked for it yourself.")
    run.approved_by = actor.name if yes else ""
    run.state = "rolling" if yes else "turned down"
    run.ended_at = None if yes else timezone.now()
    run.save()
    if not yes:
        rows = ChoreHost.objects.filter(run=run)
        rows.update(state="left out", detail=f"{actor.name} turned it down.", ended_at=timezone.now())
    write(actor, "approved" if yes else "turned down", "chore", run.chore.name, details={"run": run.pk})
    announce("chore", run.pk)


@action
@checks_itself("in the paddock of each host")
def stop_run(actor: Actor, run: ChoreRun) -> None:
    """No further host; what runs finishes. Raises NotNow for one that is over."""
    _demand_all(actor, run, "Stopping a chore")
    if run.state == "waiting for approval":
        approve(actor, run, yes=False)
        return
    if run.state != "rolling" or run.stopped_by:
        raise NotNow(f"This run cannot be stopped: it is {'stopping already' if run.stopped_by else run.state}.")
    run.stopped_by = actor.name
    run.save(update_fields=["stopped_by"])
    write(actor, "stopped", "chore", run.chore.name, details={"run": run.pk})
    announce("chore", run.pk)
