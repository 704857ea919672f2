"""From sending a job to the agent's start of work, with a thousand agents connected: ``make bench``.

Median and 99th percentile, against a bare WebSocket round trip (ping and pong) on one of the same connections, under
the same server, in the same run.
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path

import httpx
import numpy as np
from heartbeats import BIN, EVERY, HERE, SEED, free_port, wait_for

SIZE = 1_000
JOBS = 400


def main() -> int:
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        port = free_port()
        environment = {
            **os.environ,
            "PADDOCK_DATA": str(folder / "data"),
            "DJANGO_SETTINGS_MODULE": "paddock_server.settings",
        }
        subprocess.run(
            [BIN / "paddock", "user", "nobody"], env={**environment, "PADDOCK_PASSWORD": "tide-gauge-bench"}, check=True
        )
        seed = SEED.replace("Role.VIEWER", "Role.OPERATOR")
        token = subprocess.run(
            [sys.executable, "-c", seed, str(SIZE)], env=environment, check=True, capture_output=True, text=True
        ).stdout.strip()
        with (folder / "log").open("wb") as log:
            server = subprocess.Popen(
                [BIN / "paddock", "serve", "--port", str(port)], env=environment, stdout=log, stderr=log
            )
        wait_for(port)
        keys = folder / "keys"
        keys.write_text("\n".join(f"key-{i}" for i in range(SIZE)))
        agents = subprocess.Popen(
            [
                sys.executable,
                HERE / "light_agents.py",
                f"ws://127.0.0.1:{port}/agent/v1/link",
                keys,
                str(EVERY),
                "--work",
            ],
            stdout=subprocess.PIPE,
            text=True,
        )
        assert agents.stdout
        while (line := agents.stdout.readline()) != "connected\n":
            assert line.startswith("ping"), "the light agents have ended"
        time.sleep(EVERY)
        offers: dict[int, float] = {}
        pings: list[float] = []
        heard = threading.Condition()

        def listen() -> None:
            for line in agents.stdout:
                what, *rest = line.split()
                with heard:
                    if what == "offer":
                        offers[int(rest[0])] = float(rest[1])
                    else:
                        pings.append(float(rest[0]))
                    heard.notify_all()

        threading.Thread(target=listen, daemon=True).start()
        took, answered = [], []
        with httpx.Client(
            base_url=f"http://127.0.0.1:{port}", headers={"Authorization": f"Bearer {token}"}, timeout=60
        ) as http:
            for number in range(JOBS):
                body = {
                    "name": "bench",
                    "pipeline": f"p{number % 5}",
                    "terms": ["os linux", "arch x64"],
                    "script": "true",
                }
                began = time.time()
                job = http.post("/api/v1/jobs/", json=body).raise_for_status().json()["id"]
                answered.append(time.time() - began)
                with heard:
                    assert heard.wait_for(lambda job=job: job in offers, 60), "no offer within a minute"
                took.append(offers[job] - began)
        agents.kill()
        server.terminate()
        server.wait(60)
    bare = np.array(pings[5:]) * 1e3
    print(f"{SIZE} agents, {JOBS} jobs one after the other, {len(bare)} bare round trips in between")
    print(f"{'':28} {'median, ms':>10} {'p99, ms':>8}")
    rows = {
        "bare WebSocket round trip": bare,
        "answer to the submit": np.array(answered) * 1e3,
        "submit to start of work": np.array(took) * 1e3,
    }
    for said, times in rows.items():
        print(f"{said:28} {np.median(times):10.2f} {np.percentile(times, 99):8.2f}")
    whole = np.array(took) * 1e3
    medians, tails = np.median(whole) / np.median(bare), np.percentile(whole, 99) / np.percentile(bare, 99)
    print(f"ratio of the medians {medians:.1f}, of the 99th percentiles {tails:.1f}")
    return 0


if __name__ == "__main__":
    sys.exit(main())
