"""How many jobs a second the server takes through the API, has run, and sees ended: ``make bench``.

``python bench/jobs_a_second.py [AGENTS … [--seconds N]]``. Sixteen senders send one job after the other; light agents
take each and at once report its end. Counted are jobs that ended while the senders sent, and the server's processor.
"""

from __future__ import annotations

import argparse
import sys
import threading
import time

import httpx
from busy_yard import BusyYard, busy_yard, python_loop

SENDERS = 16


def send(yard: BusyYard, sender: int, until: float, sent: list[int]) -> None:
    with httpx.Client(base_url=yard.url, headers={"Authorization": f"Bearer {yard.token}"}, timeout=120) as http:
        while time.monotonic() < until:
            answer = http.post(
                "/api/v1/jobs/",
                json={"name": "bench", "pipeline": f"p{sender % 5}", "terms": ["os linux"], "script": "true"},
            )
            if answer.status_code == 503:
                time.sleep(0.2)
                continue
            sent.append(answer.raise_for_status().json()["id"])


def ended(yard: BusyYard) -> int:
    with httpx.Client(base_url=yard.url, headers={"Authorization": f"Bearer {yard.token}"}, timeout=120) as http:
        return sum(http.get(f"/api/v1/jobs/?state={state}").json()["count"] for state in ("passed", "failed"))


def measure(yard: BusyYard, senders: int, seconds: float) -> tuple[float, float, float]:
    """Jobs accepted a second, jobs ended a second, and milliseconds of the server's processor for a job that ended."""
    before, used, began = ended(yard), yard.processor(), time.monotonic()
    sent: list[int] = []
    until = began + seconds
    threads = [threading.Thread(target=send, args=(yard, i, until, sent)) for i in range(senders)]
    for one in threads:
        one.start()
    for one in threads:
        one.join()
    took, used = time.monotonic() - began, yard.processor() - used
    done = ended(yard) - before
    while ended(yard) - before < len(sent):
        time.sleep(0.5)
    return len(sent) / took, done / took, used / max(1, done) * 1e3


def main() -> int:
    given = argparse.ArgumentParser()
    given.add_argument("agents", nargs="*", type=int, default=[200, 1000])
    given.add_argument("--seconds", type=float, default=20)
    options = given.parse_args()
    print(f"5,000,000 additions in a Python loop: {python_loop():.2f} s")
    print(f"{'agents':>6} {'senders':>8} {'accepted/s':>11} {'ended/s':>8} {'processor, ms/job':>18}")
    for size in options.agents:
        with busy_yard(size) as yard:
            for senders in (1, SENDERS):
                accepted, done, cost = measure(yard, senders, options.seconds)
                print(f"{size:6} {senders:8} {accepted:11.1f} {done:8.1f} {cost:18.1f}", flush=True)
    return 0


if __name__ == "__main__":
    sys.exit(main())
