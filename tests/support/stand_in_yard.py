"""A real server with all stand-in hosts, connected, surveyed and let in."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

from processes import BIN, RealServer, free_port
from waiting import until

from paddock_standins.description import all_hosts


class StandInYard(RealServer):
    """The server, and what can be done at the machines. They hear the magic packets that the server sends."""

    def __init__(self, folder: Path, watch: float = 60) -> None:
        super().__init__(folder, grace=3, watch=watch, settings={"PADDOCK_WAKE_PORT": str(free_port())})
        self.folder = folder
        joining = [one for one in all_hosts() if not one.is_bare]
        passes = {paddock: self.make_pass(paddock, uses=20) for paddock in {one.paddock for one in joining}}
        with (folder / "standins.log").open("wb") as log:
            self._machines = subprocess.Popen(
                [sys.executable, "-m", "paddock_standins", "--server", self.url, "--data", folder / "standins"],
                stdin=subprocess.PIPE,
                env=self.environment,
                stdout=log,
                stderr=log,
            )
        self._machines.stdin.write(json.dumps(passes).encode())
        self._machines.stdin.close()

        def connected() -> bool:
            hosts = self.api.get("/api/v1/hosts/")["results"]
            return len(hosts) == len(joining) and all(one["surveyed_at"] for one in hosts)

        until(connected, "the stand-ins to connect")
        for one in joining:
            self.api.post(f"/api/v1/hosts/{one.name}/admit/", {"as_asked": True})

    def in_terminal(self, name: str, line: str) -> None:
        """Types a line into a machine's terminal."""
        command = [BIN / "paddock-terminal", name, "--data", self.folder]
        done = subprocess.run(command, input=f"{line}\n", capture_output=True, text=True, check=False)
        assert done.returncode == 0, done.stderr

    def stop(self) -> None:
        """Ends the machines, so that they say goodbye, and then the server."""
        self._machines.terminate()
        self._machines.wait(30)
        super().stop()
