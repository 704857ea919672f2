"""From the request of a rollout to *proven* on one idle Linux host, against the package installation alone.

``make bench`` runs it where a systemd host can be booted (root, namespaces). Both install the same wheels, one after
the other: the upgrade from the server, the other by hand from a folder on the host.
"""

from __future__ import annotations

import statistics
import sys
import tempfile
import time
from datetime import datetime
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1] / "tests" / "support"))

from agent_versions import make_version, own_version, wheels_of
from bring_up import by_hand
from processes import RealServer
from systemd_host import SystemdHost, why_not
from waiting import until

RUNS = 5
HOST = "dunlin-01"
PARTS = (("installed", "begun_at", "switched_at"), ("connected", "switched_at", "connected_at"),
         ("surveyed and proven", "connected_at", "ended_at"))  # fmt: skip


def upgraded(server: RealServer, version: str) -> tuple[float, list[float]]:
    """Seconds from the request to the proof, and those of each part."""
    began = time.time()
    rollout = server.api.post("/api/v1/rollouts/", {"version": version, "hosts": [HOST]})["id"]

    def row() -> dict:
        return server.api.get(f"/api/v1/rollouts/{rollout}/")["hosts"][0]

    until(lambda: row()["ended_at"], row)
    whole, found = time.time() - began, row()
    assert found["step"] == "proven", found
    at = {name: datetime.fromisoformat(found[name]).timestamp() for _, *names in PARTS for name in names}
    return whole, [at[end] - at[start] for _, start, end in PARTS]


def main() -> int:
    if why := why_not():
        print(f"Left out: {why}")
        return 0
    host = SystemdHost(HOST, 8)
    try:
        with tempfile.TemporaryDirectory() as folder:
            wheels = wheels_of(Path(folder) / "wheels")
            server = RealServer(
                Path(folder) / "data", grace=2, bind=host.outside, settings={"PADDOCK_WHEELS": str(wheels)}
            )
            try:
                done = host.run(f"cd /root && {server.make_sheet()['command']['run']}")
                assert done.returncode == 0, done.stdout + done.stderr
                server.api.post(f"/api/v1/hosts/{HOST}/admit/")
                until(lambda: (server.host(HOST)["watch"] or {}).get("running"), "the watch to report")
                until(lambda: server.host(HOST)["readiness"] == "free", "the host to be free")
                pairs = []
                for number in range(RUNS):
                    version = make_version(wheels, f"9.0.{number}").name.split("-")[1]
                    pairs.append((upgraded(server, version), by_hand(host)))
            finally:
                server.stop()
    finally:
        host.stop()
    for i, (part, *_) in enumerate(PARTS):
        print(f"{part:<24}{statistics.median(parts[i] for (_, parts), _ in pairs):>6.1f} s")
    whole = statistics.median(seconds for (seconds, _), _ in pairs)
    alone = statistics.median(seconds for _, seconds in pairs)
    ratio = statistics.median(seconds / hand for (seconds, _), hand in pairs)
    print(f"{'request to proven':<24}{whole:>6.1f} s (from {own_version()})")
    print(f"{'installation by hand':<24}{alone:>6.1f} s; the whole is {ratio:.2f} times that")
    return 0


if __name__ == "__main__":
    sys.exit(main())
