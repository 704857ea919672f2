"""Takes in which work folders a host has, and asks for some to be removed."""

from __future__ import annotations

from collections.abc import Sequence

from paddock_agent import wire

from ...changes import announce
from ...errors import NotNow
from ...hosts.models import Host
from ...logbook.write import write
from ...moments import moment
from ...people.actor import Actor, agent_of
from ...people.models import Role
from ...people.permission import requires
from ...process import connections
from ...storage import action
from ..models import FOLDER_KINDS, WorkFolder

_KINDS = {value for value, _ in FOLDER_KINDS}
MAX_WRITTEN = 20


@action
def record_folders(host: Host, report: wire.WorkFolders) -> None:
    """Replaces what was known; what was removed goes into the logbook."""
    WorkFolder.objects.filter(host=host).delete()
    WorkFolder.objects.bulk_create(
        WorkFolder(
            host=host,
            path=one.path,
            kind=one.kind,
            pipeline=one.pipeline[:100],
            attempt=one.attempt[:64],
            size=one.size,
            files=one.files,
            used_at=moment(one.used_at),
            in_use=one.in_use,
        )
        for one in report.folders
        if one.kind in _KINDS
    )
    kept_why = [one for one in report.removed if not one.endswith("newer ones are kept")]
    if kept_why:
        more = {"others": len(kept_why) - MAX_WRITTEN} if len(kept_why) > MAX_WRITTEN else {}
        removed = [one[:300] for one in kept_why[:MAX_WRITTEN]]
        write(
            agent_of(host.name),
            "removed work folders of",
            "host",
            host.name,
            host.paddock.name,
            {"folders": removed, **more},
        )
    announce("folders", host.name, host.paddock.name)


@action
@requires(Role.OPERATOR, "Clearing work folders", of="host.paddock.name")
def clear_folders(actor: Actor, host: Host, paths: Sequence[str]) -> None:
    """Has its agent remove these folders, or all that are not in use where none is named. Raises NotNow for a host that
    is not connected."""
    if not connections.is_connected(host.pk):
        raise NotNow(f"{host.name} is not connected: its folders can be cleared once it is.")
    known = set(WorkFolder.objects.filter(host=host).values_list("path", flat=True))
    if unknown := [path for path in paths if path not in known]:
        raise NotNow(f"{host.name} has no work folder {unknown[0][:200]} any more.")
    connections.send(host.pk, wire.ClearFolders(paths=list(paths)))
    write(
        actor, "asked to clear folders of", "host", host.name, host.paddock.name, {"folders": list(paths)[:50] or "all"}
    )
