"""Does a host fail more of its jobs than its peers fail of the same jobs?

For each host, the failures here and elsewhere among the same jobs are set against each other with Fisher's exact test,
one-sided (Fisher, "Statistical Methods for Research Workers", 1934): exact at the small numbers that a host has in a
week. Many hosts are asked the same question at once, so the p-values are corrected by Holm's method (Holm, "A simple
sequentially rejective multiple test procedure", 1979): the chance that any host is blamed wrongly stays under
``ALPHA``.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace

import numpy as np

ALPHA = 0.01
LEAST_TRIES = 8
"""A host with fewer attempts, of jobs that ran elsewhere too, is not asked: nothing could be shown."""
LEAST_DIFFERENCE = 0.2
"""A difference of proportions below this is not worth a person's time, however sure it is."""


@dataclass(frozen=True)
class Tally:
    """How many of the attempts of one job on one host failed."""

    host: str
    job: str
    failed: int
    tries: int


@dataclass(frozen=True)
class Contrast:
    """A host against its peers, on the same jobs. ``p`` is corrected for the number of hosts asked."""

    host: str
    failed: int
    tries: int
    peers_failed: int
    peers_tries: int
    jobs: tuple[str, ...]
    p: float

    @property
    def stands_out(self) -> bool:
        difference = self.failed / self.tries - self.peers_failed / self.peers_tries
        return self.p < ALPHA and difference >= LEAST_DIFFERENCE


def contrasts(tallies: Iterable[Tally]) -> dict[str, Contrast]:
    """Every host that can be asked, against its peers. ``jobs`` of the result are those that failed here, the most
    failing first."""
    here: dict[str, dict[str, Tally]] = defaultdict(dict)
    everywhere: dict[str, list[int]] = defaultdict(lambda: [0, 0])
    for tally in tallies:
        here[tally.host][tally.job] = tally
        everywhere[tally.job][0] += tally.failed
        everywhere[tally.job][1] += tally.tries
    asked = [found for host, mine in here.items() if (found := _against_peers(host, mine, everywhere))]
    return {one.host: one for one in _holm(_tested(asked))}


def _against_peers(host: str, mine: Mapping[str, Tally], everywhere: Mapping[str, list[int]]) -> Contrast | None:
    shared = [one for one in mine.values() if everywhere[one.job][1] > one.tries]
    failed, tries = sum(one.failed for one in shared), sum(one.tries for one in shared)
    peers_failed = sum(everywhere[one.job][0] for one in shared) - failed
    peers_tries = sum(everywhere[one.job][1] for one in shared) - tries
    if tries < LEAST_TRIES or not peers_tries:
        return None
    failing = sorted((one for one in shared if one.failed), key=lambda one: (-one.failed, one.job))
    return Contrast(host, failed, tries, peers_failed, peers_tries, tuple(one.job for one in failing), 1.0)


def _tested(asked: list[Contrast]) -> list[Contrast]:
    most = max((one.tries + one.peers_tries for one in asked), default=0)
    log_factorial = np.concatenate([[0.0], np.cumsum(np.log(np.arange(1, most + 1)))])
    return [replace(one, p=_fisher(one, log_factorial)) for one in asked]


def _fisher(one: Contrast, log_factorial: np.ndarray) -> float:
    """The one-sided p: the chance that, of all failures of both, at least as many fall here as did. That is the upper
    tail of the hypergeometric distribution, summed in logarithms."""
    failures = one.failed + one.peers_failed
    here = np.arange(one.failed, min(one.tries, failures) + 1)

    def log_ways(whole: int, part: np.ndarray) -> np.ndarray:
        ways: np.ndarray = log_factorial[whole] - log_factorial[part] - log_factorial[whole - part]
        return ways

    logs = log_ways(one.tries, here) + log_ways(one.peers_tries, failures - here)
    return float(min(1.0, np.exp(logs - log_ways(one.tries + one.peers_tries, np.array(failures))).sum()))


def _holm(asked: list[Contrast]) -> list[Contrast]:
    corrected, worst = [], 0.0
    for rank, one in enumerate(sorted(asked, key=lambda one: (one.p, one.host))):
        worst = max(worst, min(1.0, one.p * (len(asked) - rank)))
        corrected.append(replace(one, p=worst))
    return corrected
