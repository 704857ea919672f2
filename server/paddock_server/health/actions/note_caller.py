"""Looks whether an agent calls from the machine that joined, and writes down if it does not."""

from __future__ import annotations

from paddock_core.suspicion import calls_from_elsewhere

from ...changes import announce
from ...hosts.models import Host
from ...logbook.write import write
from ...people.actor import SERVER
from ...storage import action
from .dispute import dispute


@action
def note_caller(host_id: int, machine: str, address: str, is_connected: bool) -> str:
    """Why the caller is turned off, "" where it may stay.

    While the machine that joined is connected, a caller from another one is a clone: a copied disk with the key on it.
    Without it, the caller may be the same host after a new installation: it stays, and a finding opens.
    """
    host = Host.objects.select_related("paddock").get(pk=host_id)
    is_other = calls_from_elsewhere(host.machine, machine)
    if is_other and is_connected:
        write(SERVER, "turned off a clone of", "host", host.name, host.paddock.name, {"address": address})
        dispute(host, f"A copy on another machine called from {address}; the host itself calls from {host.address}.")
        return (
            f"{host.name} is connected from the machine that joined; this is another machine with a copy of its key. "
            "Remove the agent's own folder here and join with a pass of your own."
        )
    detail = f"Its agent calls from another machine than the one that joined (from {address})." if is_other else ""
    if detail != host.calls_from_elsewhere:
        host.calls_from_elsewhere = detail
        host.save(update_fields=["calls_from_elsewhere"])
        verb = "noted another machine at" if detail else "noted the right machine at"
        write(SERVER, verb, "host", host.name, host.paddock.name, {"address": address})
        announce("host", host.name, host.paddock.name)
    return ""
