"""Notes how a backup went."""

from __future__ import annotations

from datetime import datetime

from ...changes import announce
from ...logbook.write import write
from ...people.actor import SERVER
from ...storage import action
from ..models import BackupRun

MAX_RUNS = 500


@action
def note_backup(run: BackupRun, now: datetime) -> None:
    """Called by the server when a backup was made or failed."""
    run.ended_at = now
    run.save()
    superfluous = BackupRun.objects.values_list("pk", flat=True)[MAX_RUNS:]
    BackupRun.objects.filter(pk__in=list(superfluous)).delete()
    verb = "could not back up" if run.trouble else "backed up"
    details = {"trouble": run.trouble} if run.trouble else {"folder": run.folder, "bytes": run.size}
    write(SERVER, verb, "server", "this server", details={**details, **({"for": run.asked_by} if run.asked_by else {})})
    announce("backup", run.pk)
