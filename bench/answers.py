"""What an answer costs the server: ``make bench``. Requests one after the other over one kept connection."""

from __future__ import annotations

import sys
import time

import httpx
from busy_yard import busy_yard, python_loop

AGENTS, REQUESTS = 10, 300
JOB = {"name": "bench", "pipeline": "p", "terms": ["os linux"], "script": "true"}


def main() -> int:
    print(f"5,000,000 additions in a Python loop: {python_loop():.2f} s")
    print(f"{'address':24} {'processor, ms':>14} {'took, ms':>9}")
    with (
        busy_yard(AGENTS) as yard,
        httpx.Client(base_url=yard.url, headers={"Authorization": f"Bearer {yard.token}"}, timeout=60) as http,
    ):
        number = http.post("/api/v1/jobs/", json=JOB).raise_for_status().json()["id"]
        addresses = {
            "/healthz": "/healthz",
            "/static/mark.svg": "/static/mark.svg",
            "/api/v1/session/": "/api/v1/session/",
            "/api/v1/paddocks/": "/api/v1/paddocks/",
            "/api/v1/jobs/N/": f"/api/v1/jobs/{number}/",
        }
        for name, address in addresses.items():
            for _ in range(20):
                http.get(address).raise_for_status()
            used, began = yard.processor(), time.monotonic()
            for _ in range(REQUESTS):
                http.get(address)
            took, used = time.monotonic() - began, yard.processor() - used
            print(f"{name:24} {used / REQUESTS * 1e3:14.2f} {took / REQUESTS * 1e3:9.2f}")
    return 0


if __name__ == "__main__":
    sys.exit(main())
