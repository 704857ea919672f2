"""How long a server takes to start with what it keeps: ``make bench``.

A server with nothing, one with 5,000 hosts, and one with 100,000 ended jobs besides. Measured are the time until it
answers a read of the API, its processor until then, and the bytes that it read until then (/proc), against the size of
the database. Each is started several times; the best counts.
"""

from __future__ import annotations

import os
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import httpx
import psutil
from busy_yard import python_loop
from heartbeats import BIN, SEED, free_port

HOSTS, JOBS, STARTS = 5_000, 100_000, 4
JOBS_SEED = """
import sys, django
django.setup()
from django.db import connection
from django.utils import timezone
from paddock_server.hosts.models import Host
from paddock_server.work.models import Attempt, Job
now = timezone.now()
job = Job.objects.create(name="bench", pipeline="p1", terms=["os linux"], script="true", state="passed",
                         submitted_at=now, submitted_by="bench", started_at=now, ended_at=now)
attempt = Attempt.objects.create(job=job, number=1, host=Host.objects.first(), state="passed", exit_code=0,
                                 identity="0000", offered_at=now, started_at=now, ended_at=now)
on = "1 + n % (SELECT COUNT(*) FROM hosts_host)"
for row, other in ((job, {}), (attempt, {"job_id": "n", "identity": "n", "host_id": on})):
    columns = [field.column for field in row._meta.concrete_fields if not field.primary_key]
    values = ", ".join(other.get(column, f'"{column}"') for column in columns)
    columns = ", ".join(f'"{column}"' for column in columns)
    count = f"WITH RECURSIVE count(n) AS (SELECT 2 UNION ALL SELECT n + 1 FROM count WHERE n < {sys.argv[1]})"
    table = row._meta.db_table
    with connection.cursor() as cursor:
        cursor.execute(f"{count} INSERT INTO {table} ({columns}) SELECT {values} FROM {table}, count")
"""


def run(data: Path, *command: str | Path) -> str:
    environment = {**os.environ, "PADDOCK_DATA": str(data), "DJANGO_SETTINGS_MODULE": "paddock_server.settings"}
    environment["PADDOCK_PASSWORD"] = "tide-gauge-bench"
    return subprocess.run(command, env=environment, check=True, stdout=subprocess.PIPE, text=True).stdout.strip()


def seed(data: Path, hosts: int) -> str:
    """Makes a data folder with ``hosts`` hosts; returns the token of a viewer."""
    run(data, BIN / "paddock", "user", "nobody")
    return run(data, sys.executable, "-c", SEED, str(hosts))


def start(data: Path, token: str) -> tuple[float, float, int]:
    """Seconds until the first read is answered, seconds of processor until then, and bytes read."""
    port = free_port()
    environment = {**os.environ, "PADDOCK_DATA": str(data)}
    with (data / "log").open("wb") as log:
        began = time.perf_counter()
        server = subprocess.Popen(
            [BIN / "paddock", "serve", "--port", str(port)], env=environment, stdout=log, stderr=log
        )
        watched = psutil.Process(server.pid)
        try:
            with httpx.Client(
                base_url=f"http://127.0.0.1:{port}", headers={"Authorization": f"Bearer {token}"}
            ) as http:
                while True:
                    try:
                        http.get("/api/v1/paddocks/").raise_for_status()
                        break
                    except httpx.HTTPError:
                        time.sleep(0.02)
            took, times = time.perf_counter() - began, watched.cpu_times()
            return took, times.user + times.system, watched.io_counters().read_chars
        finally:
            server.send_signal(signal.SIGTERM)
            server.wait(60)


def main() -> int:
    print(f"5,000,000 additions in a Python loop: {python_loop():.2f} s")
    print(f"{'':32} {'took':>8} {'processor':>10} {'read':>9} {'database':>9}")
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        nothing, hosts, jobs = folder / "nothing", folder / "hosts", folder / "jobs"
        tokens = {nothing: seed(nothing, 0), hosts: seed(hosts, HOSTS)}
        shutil.copytree(hosts, jobs)
        tokens[jobs] = tokens[hosts]
        run(jobs, sys.executable, "-c", JOBS_SEED, str(JOBS))
        titles = {nothing: "nothing", hosts: f"{HOSTS:,} hosts", jobs: f"{HOSTS:,} hosts, {JOBS:,} jobs"}
        best: dict[Path, tuple[float, float, int]] = {}
        for _ in range(STARTS):  # in turn, so that a busy minute meets all of them
            for data in titles:
                found = start(data, tokens[data])
                best[data] = min(best.get(data, found), found)
        bare = best[nothing]
        for data, what in titles.items():
            took, used, read = best[data]
            size = sum(file.stat().st_size for file in data.glob("*.sqlite3*"))
            print(
                f"{what:32} {took:7.2f}s {used:9.2f}s {read / 1e6:6.1f} MB {size / 1e6:6.1f} MB"
                f"   {took / bare[0]:.2f} times the first"
            )
    return 0


if __name__ == "__main__":
    sys.exit(main())
