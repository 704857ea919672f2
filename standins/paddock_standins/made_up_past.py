"""The last three weeks of the stand-ins, made up: what a yard that has been at work for so long would know of them.

It goes to the server as a file for ``paddock history``, the way in for what another monitor has recorded.
"""

from __future__ import annotations

import math
import random
from collections.abc import Sequence

from .description import Description

DAYS = 21
HOUR, DAY = 3600.0, 86_400.0
GB = 1024.0**3

FILLING = {"russet-01": 5.4, "curlew-01": 1.1}
"""GB that the disk of these loses a day."""
UNSTEADY = {"bramley-01": 14, "dunlin-02": 5, "sloop-01": 0}
"""How often the link of these was lost; once or twice for the others."""


def made_up_past(hosts: Sequence[Description], now: float, free: int, total: int) -> dict[str, object]:
    """The file's content: the same for the same arguments. ``now`` is in seconds since the epoch, ``free`` and
    ``total`` are bytes of the server's disk now. Hosts that come in by a sheet have no past."""
    whole = now // HOUR * HOUR
    return {
        "hosts": {host.name: _past(host, whole) for host in hosts if not host.is_bare},
        "storage": [_storage(whole, days, free, total) for days in range(60, 0, -1)],
    }


def _storage(now: float, days: int, free: int, total: int) -> dict[str, float]:
    """The storage ``days`` ago. Logs grew fastest, and were shortened once."""
    chance = random.Random(days)  # noqa: S311 - a story, no secret
    since_shortened = days if days > 24 else days - 14
    return {
        "at": now - days * DAY,
        "database": 4_000_000 - 40_000 * days + chance.randint(0, 30_000),
        "logs": max(20_000, 420_000 - 7_000 * since_shortened + chance.randint(0, 9_000)),
        "outputs": 60_000 - 600 * days,
        "free": min(total, free + 900_000_000 * days + chance.randint(0, 300_000_000)),
        "total": total,
    }


def _past(host: Description, now: float) -> dict[str, object]:
    chance = random.Random(host.name)  # noqa: S311 - a story, no secret
    begin = now - DAYS * DAY
    link: list[list[object]] = [[begin, "connected", "The agent connected."]]
    for at in sorted(chance.uniform(begin + HOUR, now - 6 * HOUR) for _ in range(UNSTEADY.get(host.name, 1))):
        lasts = min(chance.expovariate(1 / (40 * 60.0)) + 120, 5 * HOUR)
        if at > float(str(link[-1][0])):
            link.append([at, "lost", "The agent was silent for longer than the grace, on an open connection."])
            link.append([at + lasts, "connected", "The agent connected."])
    hours = [begin + i * HOUR for i in range(int((now - begin) / HOUR))]
    return {
        "link": link,
        "readings": [
            {
                "at": at,
                "disk_free": _disk(host, at, now, chance),
                "load": max(0.1, host.cores * (0.35 + 0.3 * math.sin(at / DAY * 2 * math.pi)) + chance.gauss(0, 0.4)),
                "memory_free": host.memory * chance.uniform(0.25, 0.45),
            }
            for at in hours
        ],
    }


def _disk(host: Description, at: float, now: float, chance: random.Random) -> float:
    """What was free: it leads to what is free now, falls where it does, and builds come and go on it."""
    lost = FILLING.get(host.name, 0.0) * GB * (now - at) / DAY
    builds = chance.uniform(0, 0.02) * host.disk_total
    return max(0.0, min(float(host.disk_total), host.disk_free + lost - builds))
