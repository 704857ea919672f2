"""The hosts that rolling chores need on."""

from __future__ import annotations

from .models import ChoreHost


def needed_by_chores() -> dict[int, str]:
    """Those whose turn it is, until they are through."""
    rows = ChoreHost.objects.filter(run__state="rolling", wakes=True, ended_at=None)
    return {host: f"The chore {name}" for host, name in rows.values_list("host", "run__chore__name")}
