"""Takes in what a machine tells of its bring-up. All of it is untrusted: bounded by the message, shown as text."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.db.models import Q
from django.utils import timezone

from paddock_core.bring_up import REPORTED_STEPS, BringUpStep

from ...changes import announce
from ...errors import Invalid, NotThere
from ...hosts.events import JoinRefused
from ...storage import action
from ..models import BringUp, ReportedStep
from .prove import prove_if_ready

MARKS = ("begun", "done", "failed")


def sheets_with(code: str) -> list[BringUp]:
    """The open sheet with this code, or those of the batch with it."""
    found = BringUp.objects.select_related("paddock").filter(Q(code=code) | Q(batch=code), given_up_at=None)
    return list(found.order_by("id"))


def sheet_of(code: str, hostname: str) -> BringUp:
    """The sheet with this code; of a batch, the one that expects a machine of this name. Raises NotThere."""
    open_sheets = BringUp.objects.select_related("paddock", "entry_pass").filter(given_up_at=None)
    found = open_sheets.filter(code=code).first() if code else None
    if found is None and code:
        found = open_sheets.filter(batch=code, name__iexact=hostname.strip()).first()
    if found is None:
        raise NotThere("No open bring-up sheet has this code, or none expects a machine of this name.")
    return found


@action
def note_step(
    sheet: BringUp,
    step: str,
    mark: str,
    address: str,
    *,
    hostname: str = "",
    found: str = "",
    remedy: Sequence[str] = (),
    checks: Sequence[dict[str, Any]] = (),
) -> None:
    """``mark`` is begun, done or failed. Raises Invalid for a step that machines do not tell of."""
    if step not in {one.value for one in REPORTED_STEPS} or mark not in MARKS:
        raise Invalid(f'A machine cannot report the step "{step[:40]}" as "{mark[:40]}".')
    now = timezone.now()
    known = ReportedStep.objects.filter(bring_up=sheet, step=step).first()
    began = known.began_at if known and known.ended_at is None and mark != "begun" else now
    ReportedStep.objects.update_or_create(
        bring_up=sheet,
        step=step,
        defaults={
            "began_at": began,
            "ended_at": None if mark == "begun" else now,
            "failed": mark == "failed",
            "found": found[:2000],
            "remedy": list(remedy),
            "checks": list(checks),
        },
    )
    sheet.address = address
    sheet.hostname = hostname[:200] or sheet.hostname
    sheet.save(update_fields=["address", "hostname"])
    announce("bring-up", sheet.pk, sheet.paddock.name)
    if step == BringUpStep.SERVICE.value and mark == "done" and sheet.repairs and sheet.host:
        prove_if_ready(sheet.host)


def note_refused_join(refused: JoinRefused) -> None:
    """Notes on the machine's sheet, if there is one, why it was not let in."""
    note_failure(refused.sheet, refused.hostname, BringUpStep.JOIN, refused.address, refused.why)


def note_failure(code: str, hostname: str, step: BringUpStep, address: str, why: str) -> None:
    """Notes on the sheet, if there is one, what the server refused its machine."""
    try:
        note_step(sheet_of(code, hostname), step.value, "failed", address, hostname=hostname, found=why)
    except NotThere:
        return
