"""What connected agents cost the server: ``make bench``, or ``python bench/heartbeats.py [SIZES]``.

For each size, light agents send a heartbeat every 15 seconds, once to a bare ASGI WebSocket echo and once to the real
server with all its other work, both under the same Uvicorn. The figures are ratios in one run.
"""

from __future__ import annotations

import os
import signal
import socket
import subprocess
import sys
import tempfile
import time
import urllib.request
from pathlib import Path

import psutil
from prometheus_client.openmetrics.parser import text_string_to_metric_families

HERE = Path(__file__).parent
BIN = Path(sys.executable).parent
HEARTBEAT_INTERVAL_SECONDS = 15.0
WINDOW = 60.0
ECHO = """
async def app(scope, receive, send):
    if scope["type"] != "websocket":
        return
    await receive()
    await send({"type": "websocket.accept"})
    while (event := await receive())["type"] != "websocket.disconnect":
        await send({"type": "websocket.send", "text": event["text"]})
"""
RUN_ECHO = """
import sys, uvicorn
sys.path.insert(0, sys.argv[1])
uvicorn.run("echo:app", port=int(sys.argv[2]), log_level="warning", access_log=False, ws="websockets-sansio",
            ws_ping_interval=20, ws_ping_timeout=None, ws_per_message_deflate=False, lifespan="off")
"""
SEED = """
import sys, django
django.setup()
from django.utils import timezone
from paddock_server.hosts.models import Host, Paddock
from paddock_server import secret
from paddock_server.access.actions.add_user import add_user
from paddock_server.people.actions.make_token import make_token
from paddock_server.people.actor import COMMAND_LINE
from paddock_server.people.models import Role
paddock = Paddock.objects.create(name="shoreline")
hosts = [Host(name=f"knot-{i:04}", paddock=paddock, standing="admitted", key_digest=secret.digest(f"key-{i}"),
              watch_digest=secret.digest(f"watch-{i}"), surveyed_at=timezone.now(), decided_at=timezone.now())
         for i in range(int(sys.argv[1]))]
Host.objects.bulk_create(hosts)
add_user(COMMAND_LINE, "meter", "tide-gauge-bench", Role.VIEWER, None)
print(make_token(COMMAND_LINE, "meter", "bench"))
"""


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


class Load:
    """A server under light agents, watched from outside."""

    def __init__(self, server: subprocess.Popen, url: str, folder: Path, size: int, *options: str) -> None:
        self.server = psutil.Process(server.pid)
        self.bare = self.server.memory_info().rss
        keys = folder / "keys"
        keys.write_text("\n".join(f"key-{i}" for i in range(size)))
        self.size = size
        command = [
            sys.executable,
            str(HERE / "light_agents.py"),
            url,
            str(keys),
            str(HEARTBEAT_INTERVAL_SECONDS),
            *options,
        ]
        self.agents = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
        assert self.agents.stdout.readline() == "connected\n"
        time.sleep(
            HEARTBEAT_INTERVAL_SECONDS
        )  # every agent has sent its first heartbeat, and what connecting left to do is done

    def used(self) -> float:
        times = self.server.cpu_times()
        return times.user + times.system

    def measure(self) -> tuple[float, float]:
        """Microseconds of processor a heartbeat, and bytes of memory a connection."""
        before, began = self.used(), time.monotonic()
        time.sleep(WINDOW)
        beats = self.size * (time.monotonic() - began) / HEARTBEAT_INTERVAL_SECONDS
        assert self.agents.poll() is None, "the light agents have ended"
        return (self.used() - before) / beats * 1e6, (self.server.memory_info().rss - self.bare) / self.size

    def stop(self, server: subprocess.Popen) -> None:
        self.agents.kill()
        self.agents.wait()
        server.send_signal(signal.SIGTERM)
        server.wait(60)


def wait_for(port: int) -> None:
    while True:
        try:
            socket.create_connection(("127.0.0.1", port), 1).close()
            return
        except OSError:
            time.sleep(0.1)


def echo(size: int, folder: Path) -> tuple[float, float]:
    (folder / "echo.py").write_text(ECHO)
    port = free_port()
    server = subprocess.Popen([sys.executable, "-c", RUN_ECHO, str(folder), str(port)])
    wait_for(port)
    load = Load(server, f"ws://127.0.0.1:{port}/", folder, size, "--echo")
    found = load.measure()
    load.stop(server)
    return found


def metrics(port: int, token: str) -> dict[str, float]:
    asked = urllib.request.Request(f"http://127.0.0.1:{port}/metrics", headers={"Authorization": f"Bearer {token}"})
    with urllib.request.urlopen(asked) as answer:
        families = text_string_to_metric_families(answer.read().decode())
        return {s.name: s.value for family in families for s in family.samples if s.name.endswith(("_sum", "_count"))}


def real(size: int, folder: Path) -> dict[str, float]:
    port = free_port()
    environment = {
        **os.environ,
        "PADDOCK_DATA": str(folder / "data"),
        "DJANGO_SETTINGS_MODULE": "paddock_server.settings",
    }
    subprocess.run(
        [BIN / "paddock", "user", "nobody"], env={**environment, "PADDOCK_PASSWORD": "tide-gauge-bench"}, check=True
    )
    token = subprocess.run(
        [sys.executable, "-c", SEED, str(size)], env=environment, check=True, capture_output=True, text=True
    ).stdout.strip()
    with (folder / "log").open("wb") as log:
        server = subprocess.Popen(
            [BIN / "paddock", "serve", "--port", str(port)], env=environment, stdout=log, stderr=log
        )
    wait_for(port)
    load = Load(server, f"ws://127.0.0.1:{port}/agent/v1/link", folder, size)
    before, rows = metrics(port, token), fresh_rows(folder)
    processor, memory = load.measure()
    after = metrics(port, token)
    looks = after["paddock_findings_look_seconds_count"] - before["paddock_findings_look_seconds_count"]
    looked = after["paddock_findings_look_seconds_sum"] - before["paddock_findings_look_seconds_sum"]
    found = {
        "processor": processor,
        "memory": memory,
        "rows": (fresh_rows(folder) - rows) / WINDOW,
        "look": looked / looks * 1e3,
        "looks": looks / WINDOW,
        "watch": watch_reports(load, port, size),
    }
    load.stop(server)
    return found


def fresh_rows(folder: Path) -> int:
    import sqlite3

    with sqlite3.connect(folder / "data" / "paddock.sqlite3") as database:
        return int(database.execute("select count(*) from health_freshreadings").fetchone()[0])


def watch_reports(load: Load, port: int, size: int) -> float:
    """Microseconds of the server's processor for one report of a watch that repeats the previous one, as nearly
    all do: the second of two from each host. It includes the heartbeats of the same time."""
    from paddock_agent import wire

    number = min(size, 300)
    state = wire.ServiceState("paddock-agent.service", "linux", "running", True, "enabled", "paddock")

    def report_all() -> None:
        for i in range(number):
            report = wire.WatchReport(host=f"knot-{i:04}", at=time.time(), state=state, boot="b1", uptime=1000.0)
            headers = {"Authorization": f"Bearer watch-{i}", "Content-Type": "application/json"}
            address = f"http://127.0.0.1:{port}/agent/v1/watch"
            urllib.request.urlopen(urllib.request.Request(address, wire.encode(report), headers)).close()

    report_all()
    before = load.used()
    report_all()
    return (load.used() - before) / number * 1e6


def main() -> int:
    sizes = [int(size) for size in sys.argv[1:]] or [500, 1000, 2000]
    print(f"{'agents':>7} {'echo':>9} {'server':>9} {'ratio':>6} {'memory a connection':>24} {'rows/s':>7} "
          f"{'a look':>9} {'looks/s':>8} {'a watch report':>15}")  # fmt: skip
    for size in sizes:
        with tempfile.TemporaryDirectory() as place:
            folder = Path(place)
            bare, bare_memory = echo(size, folder)
            one = real(size, folder)
        print(f"{size:7} {bare:6.0f} µs {one['processor']:6.0f} µs {one['processor'] / bare:6.1f} "
              f"{one['memory'] / 1024:9.0f} kB (echo {bare_memory / 1024:3.0f}) {one['rows']:7.0f} "
              f"{one['look']:6.0f} ms {one['looks']:8.2f} {one['watch']:12.0f} µs", flush=True)  # fmt: skip
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
