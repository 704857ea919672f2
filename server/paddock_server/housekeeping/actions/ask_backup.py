"""Asks the server for a backup now."""

from __future__ import annotations

from django.db import transaction

from ...errors import NotNow
from ...logbook.write import write
from ...people.actor import Actor
from ...people.models import Role
from ...people.permission import requires
from ...process.state import part
from ...storage import action
from ..running import RunningBackup
from ..schedule import backup_schedule

NO_FOLDER = "No folder for backups is set. Set backup_folder in the settings file, and restart the server."


@action
@requires(Role.ADMINISTRATOR, "Making a backup")
def ask_backup(actor: Actor) -> None:
    """It begins at once, and goes on after the answer. Raises NotNow where one is being made, or cannot be."""
    if backup_schedule() is None:
        raise NotNow(NO_FOLDER)
    running = part(RunningBackup)
    if running.asked_by is not None or running.began_at is not None:
        raise NotNow("A backup is being made already.")
    write(actor, "asked for a backup of", "server", "this server")
    transaction.on_commit(lambda: running.ask(actor.name))
