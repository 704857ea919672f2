"""The demo's chore: a newer CMake for the Linux hosts of the shoreline, rolling while somebody looks."""

from __future__ import annotations

from .api_client import Api

CHORE = {
    "name": "CMake 3.31 for the shoreline",
    "purpose": "The tide-gauge firmware needs presets of version 10.",
    "script": 'echo "fetching CMake 3.31.2 from the depot"\nsleep 6\ntool-depot install cmake 3.31.2\necho done\n',
    "shell": "bash",
    "wanted": ["tool cmake 3.31+"],
    "at_once": 2,
    "stop_after": 3,
    "drain": True,
}
CHOSEN = ["paddock shoreline", "os linux", "not label this-machine"]
CLEAR = {
    "name": "Clear the package caches",
    "purpose": "Before a disk gets low.",
    "script": "tool-depot clear\n",
    "at_once": 5,
    "stop_after": 0,
    "drain": False,
}


def set_up_chores(api: Api) -> None:
    """Two chores that are kept, and one of them rolling."""
    api.post("/api/v1/chores/", CLEAR)
    chore = api.post("/api/v1/chores/", CHORE)
    api.post(f"/api/v1/chores/{chore['id']}/start/", {"terms": CHOSEN})
