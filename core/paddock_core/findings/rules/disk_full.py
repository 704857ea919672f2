"""Hardly any room is left: the next checkout fails."""

from __future__ import annotations

from collections.abc import Iterator

from ...link_state import Link
from ...readiness import LEAST_DISK
from ...units import disk_size
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
            f"The disk of its work folder has {disk_size(host.disk_free)} of {disk_size(host.disk_total)} free. It "
            "gets no jobs, since a checkout and a build may not fit.",
            0.0,
            (Evidence(f"{host.work_folder}: {disk_size(host.disk_free)} free.", now),),
            Remedy("Free some space.", (biggest_folders(host.family, host.work_folder),)),
            about="work folder",
        )
    elif host.system_free < SYSTEM_LEAST:
        folder = SYSTEM_FOLDERS.get(host.family, "/")
        yield Found(
            f"The system disk has {disk_size(host.system_free)} free. When it is full, services and logs fail.",
            0.0,
            (Evidence(f"{folder}: {disk_size(host.system_free)} free.", now),),
            Remedy("Free some space.", (biggest_folders(host.family, folder),)),
            about="system",
        )


RULE = Rule("disk-full", "Disk full", Severity.URGENT, look=look)
