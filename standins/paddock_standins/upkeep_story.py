"""The demo's upkeep: a chore that installs a newer CMake on the Linux hosts of the shoreline, and planned maintenance
windows."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

from .story import Stage

CHORE = {
    "name": "CMake 3.31 for the shoreline",
    "purpose": "The tide-gauge firmware needs presets of version 10.",
    "script": 'echo "fetching CMake 3.31.2"\nsleep 6\nsudo -n tool-depot install cmake 3.31.2\necho done\n',
    "shell": "bash",
    "wanted": ["tool cmake 3.31+"],
    "at_once": 2,
    "stop_after": 3,
    "drain": True,
}
CHOSEN = ["paddock shoreline", "os linux", "not label this-machine", "not label cross-compile"]
CLEAR = {
    "name": "Clear the package caches",
    "purpose": "Before a disk gets low.",
    "script": "tool-depot clear\n",
    "at_once": 5,
    "stop_after": 0,
    "drain": False,
}


MAINTENANCE = [
    ("annex", "new switches", 3, 8, 4, ""),
    ("workshop", "system updates", 1, 18, 3, "FREQ=WEEKLY"),
    ("plover-01", "a larger disk", 9, 10, 30, ""),
]
"""Where, what, in how many days, at which hour, for how many hours, and how it comes again."""


def tell_upkeep(stage: Stage) -> None:
    """Plans maintenance windows, saves two chores and starts one."""
    midnight = datetime.now(UTC).replace(hour=0, minute=0, second=0, microsecond=0)
    windows: list[dict[str, str]] = []
    for place, what, days, hour, hours, rule in MAINTENANCE:
        starts = midnight + timedelta(days=days, hours=hour)
        ends = starts + timedelta(hours=hours)
        times = {"starts_at": starts.isoformat(), "ends_at": ends.isoformat()}
        windows.append({"what": what, "place": place, "rule": rule, **times})
    stage.make_missing("/api/v1/maintenance-windows/", windows, "what")
    stage.make_missing("/api/v1/chores/", [CLEAR, CHORE], "name")
    chore = next(one for one in stage.api.get("/api/v1/chores/")["results"] if one["name"] == CHORE["name"])
    if not any(run["chore_id"] == chore["id"] for run in stage.api.get("/api/v1/chore-runs/")["results"]):
        stage.api.post(f"/api/v1/chores/{chore['id']}/start/", {"terms": CHOSEN})
