"""Hardly any room is left: the next checkout fails."""

from __future__ import annotations

from collections.abc import Iterator

from ...durations import size
from ...link_state import Link
from ...readiness import LEAST_DISK
from ..commands import biggest_folders
from ..finding import Evidence, Found, Remedy, Rule, Severity
from ..observed import HostSeen

SYSTEM_LEAST = LEAST_DISK / 2
SYSTEM_FOLDERS = {"linux": "/", "macos": "/System/Volumes/Data", "windows": "C:\\"}


def look(host: HostSeen, now: float) -> Iterator[Found]:
    if host.link is not Link.CONNECTED:
        return
    if host.disk_free < LEAST_DISK:
        yield Found(
            f"The disk of its work folder has {size(host.disk_free)} left of {size(host.disk_total)}: a checkout and a "
            "build hardly fit, so it gets no jobs.",
            host.link_since,
            (Evidence(f"{host.work_folder}: {size(host.disk_free)} free.", now),),
            Remedy("Make room.", (biggest_folders(host.family, host.work_folder),)),
            about="work folder",
        )
    elif host.system_free < SYSTEM_LEAST:
        folder = SYSTEM_FOLDERS.get(host.family, "/")
        yield Found(
            f"The system's own disk has {size(host.system_free)} left: services and logs fail when it is full.",
            host.link_since,
            (Evidence(f"{folder}: {size(host.system_free)} free.", now),),
            Remedy("Make room.", (biggest_folders(host.family, folder),)),
            about="system",
        )


RULE = Rule("disk-full", "The disk is full", Severity.URGENT, look=look)
