"""The hosts that rollouts need on."""

from __future__ import annotations

from .models import UNFINISHED, RolloutHost


def needed_by_rollouts() -> dict[int, str]:
    """Those whose turn it is, until they are proven or back."""
    rows = RolloutHost.objects.filter(rollout__state="rolling", wakes=True, step__in=UNFINISHED)
    return {host: f"Rollout {number}" for host, number in rows.values_list("host", "rollout")}
