"""Sheets as people may see them, with how far each is."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, datetime

from django.db.models import QuerySet
from django.utils import timezone

from paddock_core.bring_up import BringUpStep, ObservedBringUp, Phase, Progress, ReportedTimes, progress
from paddock_core.lifecycle import JobState

from ..errors import NotThere
from ..health.models import LinkChange
from ..hosts.models import Host
from ..people.actor import Actor
from ..people.models import Role
from ..rest.shown import Shown
from .models import BringUp

ENDED = (Phase.FINISHED, Phase.GIVEN_UP)


def visible_sheets(actor: Actor) -> QuerySet[BringUp]:
    """The sheets of the paddocks that the actor may see, newest first."""
    sheets = BringUp.objects.select_related("paddock", "entry_pass", "host__paddock", "proof").prefetch_related(
        "reported_steps"
    )
    paddocks = actor.where(Role.VIEWER)
    return sheets if paddocks is None else sheets.filter(paddock__name__in=paddocks)


@dataclass(frozen=True)
class SheetShown(Shown[BringUp]):
    """A sheet, and how far its machine is."""

    progress: Progress


def open_sheets(actor: Actor) -> list[SheetShown]:
    """Those that are not at their end. One whose host has proved itself is, and so is one that was given up."""
    unproved = visible_sheets(actor).filter(given_up_at=None).exclude(proof__state=JobState.PASSED.value)
    return with_progress(unproved)


def sheet_numbered(actor: Actor, pk: int) -> BringUp:
    """One sheet. Raises NotThere."""
    found = visible_sheets(actor).filter(pk=pk).first()
    if found is None:
        raise NotThere("No such bring-up sheet exists that you may see.")
    return found


def sheet_shown(actor: Actor, pk: int) -> SheetShown:
    """The same with its progress. Raises NotThere."""
    return with_progress([sheet_numbered(actor, pk)])[0]


def with_progress(found: Iterable[BringUp]) -> list[SheetShown]:
    """Each sheet with its progress: two queries, however many."""
    sheets = list(found)
    hosts = [sheet.host_id for sheet in sheets if sheet.host_id]
    connected: dict[int, list[datetime]] = defaultdict(list)
    changes = LinkChange.objects.filter(host__in=hosts, state="connected").order_by("id")
    for host, at in changes.values_list("host", "at"):
        connected[host].append(at)
    now = timezone.now().timestamp()
    shown = []
    for sheet in sheets:
        times = connected.get(sheet.host_id or 0, [])
        since = next((at for at in times if at >= _counts_from(sheet)), None)
        shown.append(SheetShown(sheet, _progress(sheet, since, now)))
    return shown


def _counts_from(sheet: BringUp) -> datetime:
    """What a host did before it was set up again says nothing of the repair."""
    service = next((one for one in sheet.reported_steps.all() if one.step == BringUpStep.SERVICE.value), None)
    begun = service.began_at if service else timezone.now()
    return begun if sheet.repairs else datetime.min.replace(tzinfo=UTC)


def _progress(sheet: BringUp, connected: datetime | None, now: float) -> Progress:
    reported = {
        BringUpStep(one.step): ReportedTimes(
            one.began_at.timestamp(), _seconds(one.ended_at), one.failed, one.found, tuple(one.remedy)
        )
        for one in sheet.reported_steps.all()
    }
    return progress(
        reported,
        _seen(sheet, connected),
        now,
        by_hand=sheet.supervisor == "by hand",
        given_up=sheet.given_up_at is not None,
        family=sheet.system,
    )


def _seen(sheet: BringUp, connected: datetime | None) -> ObservedBringUp:
    host, proof = sheet.host, sheet.proof
    if host is None:
        return ObservedBringUp()
    surveyed = host.surveyed_at if host.surveyed_at and host.surveyed_at >= _counts_from(sheet) else None
    return ObservedBringUp(
        joined=None if sheet.repairs else host.joined_at.timestamp(),
        connected=_seconds(connected),
        surveyed=_seconds(surveyed),
        admitted=_seconds(host.decided_at) if host.standing == Host.Standing.ADMITTED else None,
        turned_away=host.standing == Host.Standing.TURNED_AWAY,
        proof=proof.state if proof else "",
        proof_began=_seconds(proof.submitted_at) if proof else None,
        proof_ended=_seconds(proof.ended_at) if proof else None,
        proof_reason=proof.reason if proof else "",
    )


def _seconds(moment: datetime | None) -> float | None:
    return moment.timestamp() if moment else None
