"""How fast each host is: the length of a run is that of its job times that of its host.

    log(length) = job + host + rest

fitted by median polish (Tukey, "Exploratory Data Analysis", 1977): the medians of what is left are taken out of the
jobs and of the hosts in turn, until nothing moves. That is the fit by least absolute deviations as far as such steps
go, and a third of wild lengths (a cold cache, a hang) does not move it. A host is compared only with hosts that ran the
same jobs: groups of hosts that share no job, directly or through others, say nothing of each other.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .past import PASSED, Past

MIN_RUNS = 20
"""The minimum number of runs of jobs that other hosts ran too. A host with fewer gets no factor."""
MIN_SECONDS = 1.0
"""Shorter runs measure the start more than the host."""
STEPS = 30
CONFIDENCE = 1.96
SD_OF_MAD = 1.4826
SE_OF_MEDIAN = 1.2533
"""The standard error of a median is that of the mean times √(π/2), for normal rests."""


@dataclass(frozen=True)
class HostSpeed:
    """``factor``: the length of a run here, divided by that on the host's peers. ``low`` and ``high`` bound it at 95 %.
    ``runs`` are those that count, ``peers`` the hosts that it is compared with."""

    factor: float
    low: float
    high: float
    runs: int
    peers: int

    @property
    def is_certain(self) -> bool:
        """Whether the host surely differs from its peers."""
        return self.low > 1.0 or self.high < 1.0


def host_speeds(past: Past) -> dict[str, HostSpeed]:
    """By host; hosts with too few runs to compare are left out."""
    chosen = (past.outcome == PASSED) & (past.lengths >= MIN_SECONDS)
    if not chosen.any():
        return {}
    lengths = np.log(past.lengths[chosen])
    jobs = _numbered(past.pipeline[chosen].astype(np.int64) * (len(past.names) + 1) + past.name[chosen])
    hosts = past.host[chosen].astype(np.int64)
    shared = _shared(jobs, hosts)
    lengths, jobs, hosts = lengths[shared], _numbered(jobs[shared]), hosts[shared]
    if not len(lengths):
        return {}
    number = len(past.hosts)
    effects = np.zeros(number)
    rest = lengths.copy()
    by_job, by_host = _Groups(jobs), _Groups(hosts)
    for _ in range(STEPS):
        rest -= by_job.medians(rest)[jobs]
        moved = np.zeros(number)
        medians = by_host.medians(rest)
        moved[: len(medians)] = medians
        effects += moved
        rest -= moved[hosts]
        if np.abs(moved).max() < 1e-6:
            break
    runs = np.bincount(hosts, minlength=number)
    found = {}
    for group in _connected(jobs, hosts, number):
        enough = [host for host in group if runs[host] >= MIN_RUNS]
        if len(enough) < 2:
            continue
        # Compared with the middle of its peers, not with a mean that one slow host moves.
        effects[group] -= np.median(effects[enough])
        for host in enough:
            own = rest[hosts == host]
            spread = SD_OF_MAD * np.median(np.abs(own - np.median(own)))
            half = CONFIDENCE * SE_OF_MEDIAN * spread / np.sqrt(len(own))
            low, middle, high = np.exp([effects[host] - half, effects[host], effects[host] + half])
            found[past.hosts[host]] = HostSpeed(
                float(middle), float(low), float(high), int(runs[host]), len(enough) - 1
            )
    return found


def _numbered(values: NDArray[np.int64]) -> NDArray[np.int64]:
    return np.unique(values, return_inverse=True)[1].astype(np.int64)


def _shared(jobs: NDArray[np.int64], hosts: NDArray[np.int64]) -> NDArray[np.bool_]:
    """The runs of jobs that ran on more than one host."""
    pairs = np.unique(np.stack([jobs, hosts]), axis=1)
    return np.bincount(pairs[0], minlength=jobs.max() + 1)[jobs] > 1


class _Groups:
    """Medians within groups, group by group in one sort."""

    def __init__(self, group: NDArray[np.int64]) -> None:
        self._group = group
        self._counts = np.bincount(group)
        self._starts = np.cumsum(self._counts) - self._counts

    def medians(self, values: NDArray[np.float64]) -> NDArray[np.float64]:
        """One for each group; 0 for an empty one."""
        ordered = values[np.lexsort((values, self._group))]
        low = np.minimum(self._starts + np.maximum(self._counts - 1, 0) // 2, len(ordered) - 1)
        high = np.minimum(self._starts + self._counts // 2, len(ordered) - 1)
        return np.where(self._counts > 0, (ordered[low] + ordered[high]) / 2, 0.0)


def _connected(jobs: NDArray[np.int64], hosts: NDArray[np.int64], number: int) -> list[list[int]]:
    """Hosts that are joined by jobs that both ran, directly or through others."""
    parent = list(range(number + int(jobs.max()) + 1))

    def root(one: int) -> int:
        while parent[one] != one:
            parent[one] = parent[parent[one]]
            one = parent[one]
        return one

    for job, host in np.unique(np.stack([jobs, hosts]), axis=1).T.tolist():
        parent[root(number + job)] = root(host)
    groups: dict[int, list[int]] = {}
    for host in np.unique(hosts).tolist():
        groups.setdefault(root(host), []).append(host)
    return list(groups.values())
