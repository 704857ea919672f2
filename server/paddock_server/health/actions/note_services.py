"""Takes in how a host's watched services are, and what came of starting or stopping one."""

from __future__ import annotations

from django.utils import timezone

from paddock_agent import wire

from ...changes import announce
from ...hosts.models import Host
from ...logbook.write import write
from ...people.actor import agent_of
from ...storage import action
from ...work import dispatcher
from ..models import ServiceChange, WatchedService

STATES = ("running", "stopped", "failed", "trying again", "missing", "unknown")


@action
def note_services(host: Host, report: wire.WatchedServices) -> None:
    """All of the host's watched services; those that are not asked for are not taken in."""
    wanted = set(host.watched_services)
    known = {one.name: one for one in WatchedService.objects.filter(host=host)}
    now = timezone.now()
    for name in known.keys() - wanted:
        known[name].delete()
    for state in report.states:
        if state.name not in wanted:
            continue
        running = state.running if state.running in STATES else "unknown"
        row = known.get(state.name) or WatchedService(host=host, name=state.name, running="", since=now)
        if row.running != running:
            row.running, row.since = running, now
            ServiceChange.objects.create(host=host, name=row.name, at=now, state=running, detail=state.detail[:500])
        row.detail = state.detail[:500]
        row.save()
    announce("host", host.name, host.paddock.name)
    dispatcher.wake_after_commit()


@action
def note_tried(host: Host, report: wire.ServiceTried) -> None:
    """Writes down what came of it; commands that would let the account do it are shown with it."""
    tried = {
        "verb": report.verb[:20],
        "why": report.why[:1000],
        "remedy": [one[:1000] for one in report.remedy],
        "at": timezone.now().isoformat(),
    }
    if WatchedService.objects.filter(host=host, name=report.name).update(tried=tried):
        verb = (
            "could not " + report.verb[:20]
            if report.why
            else {"start": "started", "stop": "stopped"}.get(report.verb, "")
        )
        write(agent_of(host.name), verb, "service", f"{report.name[:100]} on {host.name}", host.paddock.name)
        announce("host", host.name, host.paddock.name)
