"""A server under light agents that take jobs, for the benchmarks."""

from __future__ import annotations

import contextlib
import os
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Iterator
from pathlib import Path

import psutil
from heartbeats import BIN, HEARTBEAT_INTERVAL_SECONDS, HERE, SEED, free_port, wait_for


class BusyYard:
    """``offers`` are the moments at which agents began jobs; ``pings`` bare round trips, in seconds."""

    def __init__(self, port: int, token: str, server: subprocess.Popen, agents: subprocess.Popen) -> None:
        self.url, self.token = f"http://127.0.0.1:{port}", token
        self.offers: dict[int, float] = {}
        self.pings: list[float] = []
        self.heard = threading.Condition()
        self._process = psutil.Process(server.pid)
        self._agents = agents
        threading.Thread(target=self._listen, daemon=True).start()

    def processor(self) -> float:
        """Seconds of processor that the server has used."""
        times = self._process.cpu_times()
        return times.user + times.system

    def _listen(self) -> None:
        for line in self._agents.stdout:
            what, *rest = line.split()
            with self.heard:
                if what == "offer":
                    self.offers[int(rest[0])] = float(rest[1])
                else:
                    self.pings.append(float(rest[0]))
                self.heard.notify_all()


def python_loop() -> float:
    """Seconds of a fixed Python loop: how fast this machine is just now."""
    began, total = time.perf_counter(), 0
    for number in range(5_000_000):
        total += number
    return time.perf_counter() - began


@contextlib.contextmanager
def busy_yard(size: int) -> Iterator[BusyYard]:
    """With ``size`` agents connected, and a token that may send jobs."""
    with tempfile.TemporaryDirectory() as name, contextlib.ExitStack() as ends:
        folder, port = Path(name), free_port()
        environment = {
            **os.environ,
            "PADDOCK_DATA": str(folder / "data"),
            "DJANGO_SETTINGS_MODULE": "paddock_server.settings",
        }
        subprocess.run(
            [BIN / "paddock", "user", "nobody"], env={**environment, "PADDOCK_PASSWORD": "tide-gauge-bench"}, check=True
        )
        seed = SEED.replace("Role.VIEWER", "Role.OPERATOR")
        command = [sys.executable, "-c", seed, str(size)]
        token = subprocess.run(command, env=environment, check=True, capture_output=True, text=True).stdout.strip()
        log = ends.enter_context((folder / "log").open("wb"))
        served = [BIN / "paddock", "serve", "--port", str(port)]
        server = subprocess.Popen(served, env=environment, stdout=log, stderr=log)
        ends.callback(server.wait, 60)
        ends.callback(server.terminate)
        wait_for(port)
        keys = folder / "keys"
        keys.write_text("\n".join(f"key-{i}" for i in range(size)))
        light = [
            sys.executable,
            HERE / "light_agents.py",
            f"ws://127.0.0.1:{port}/agent/v1/link",
            keys,
            str(HEARTBEAT_INTERVAL_SECONDS),
        ]
        agents = subprocess.Popen([*light, "--work"], stdout=subprocess.PIPE, text=True)
        ends.callback(agents.kill)
        while (line := agents.stdout.readline()) != "connected\n":
            assert line.startswith("ping"), "the light agents have ended"
        time.sleep(HEARTBEAT_INTERVAL_SECONDS)
        yield BusyYard(port, token, server, agents)
