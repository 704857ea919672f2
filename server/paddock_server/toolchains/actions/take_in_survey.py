"""Takes in what an agent's survey found. Only what differs from the survey before is written."""

from __future__ import annotations

import msgspec
from django.db import transaction
from django.utils import timezone

from paddock_agent import wire

from ...bring_up.actions.prove import prove_if_ready
from ...hosts.models import Host
from ...link import feed
from ...logbook.write import write
from ...people.actor import agent_of
from ...work import dispatcher
from ..models import Installation

FIELDS = ("tool", "version", "path", "home", "plain", "evidence")


@transaction.atomic
def take_in_survey(host: Host, report: wire.SurveyReport) -> None:
    """Replaces what was known of the host's tools and facts; unchanged installations keep their ``seen_since``."""
    now = timezone.now()
    found = {tuple(getattr(one, field) for field in FIELDS) for one in report.installations}
    known = {tuple(getattr(one, field) for field in FIELDS): one.pk for one in host.installations.all()}
    gone = [pk for key, pk in known.items() if key not in found]
    fresh = [key for key in found if key not in known]
    first = host.surveyed_at is None
    Installation.objects.filter(pk__in=gone).delete()
    Installation.objects.bulk_create(
        Installation(host=host, seen_since=now, **dict(zip(FIELDS, key, strict=True))) for key in sorted(fresh)
    )
    host.facts = msgspec.to_builtins(report.facts)
    host.broken = msgspec.to_builtins(report.broken)
    host.surveyed_at = now
    host.save(update_fields=["facts", "broken", "surveyed_at"])
    if gone or fresh or first:
        came = sorted(f"{key[0]} {key[1]}" for key in fresh)
        went = sorted(f"{key[0]} {key[1]}" for key in known if key not in found)
        write(agent_of(host.name), "surveyed", "host", host.name, host.paddock.name, came=came, went=went)
    feed.tell("host", host.name, host.paddock.name)
    prove_if_ready(host)
    dispatcher.wake_after_commit()
