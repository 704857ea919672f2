"""From sending a job to the agent's start of work, with a thousand agents connected: ``make bench``.

Median and 99th percentile, against a bare WebSocket round trip (ping and pong) on one of the same connections, under
the same server, in the same run.
"""

from __future__ import annotations

import sys
import time

import httpx
import numpy as np
from busy_yard import busy_yard

SIZE = 1_000
JOBS = 400


def main() -> int:
    took, answered = [], []
    with (
        busy_yard(SIZE) as yard,
        httpx.Client(base_url=yard.url, headers={"Authorization": f"Bearer {yard.token}"}, timeout=60) as http,
    ):
        for number in range(JOBS):
            body = {"name": "bench", "pipeline": f"p{number % 5}", "terms": ["os linux", "arch x64"], "script": "true"}
            began = time.time()
            job = http.post("/api/v1/jobs/", json=body).raise_for_status().json()["id"]
            answered.append(time.time() - began)
            with yard.heard:
                assert yard.heard.wait_for(lambda job=job: job in yard.offers, 60), "no offer within a minute"
            took.append(yard.offers[job] - began)
        pings = yard.pings
    bare = np.array(pings[5:]) * 1e3
    print(f"{SIZE} agents, {JOBS} jobs one after the other, {len(bare)} bare round trips in between")
    print(f"{'':28} {'median, ms':>10} {'p99, ms':>8}")
    rows = {
        "bare WebSocket round trip": bare,
        "answer to the submit": np.array(answered) * 1e3,
        "submit to start of work": np.array(took) * 1e3,
    }
    for title, times in rows.items():
        print(f"{title:28} {np.median(times):10.2f} {np.percentile(times, 99):8.2f}")
    whole = np.array(took) * 1e3
    medians, tails = np.median(whole) / np.median(bare), np.percentile(whole, 99) / np.percentile(bare, 99)
    print(f"ratio of the medians {medians:.1f}, of the 99th percentiles {tails:.1f}")
    return 0


if __name__ == "__main__":
    sys.exit(main())
