"""The parts of the demo as processes: started, watched, typed into and stopped together."""

from __future__ import annotations

import ctypes
import os
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

PATIENCE = 600.0
STOP_PATIENCE = 15.0


def free_port() -> int:
    """A port without a listener."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


class DemoFailed(Exception):
    """The demo cannot go on; the sentence says why."""


_PR_SET_PDEATHSIG = 1


def _end_with_parent() -> None:
    """Of Linux: a part whose demo is killed ends too, instead of keeping its port and its data."""
    ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, signal.SIGTERM)


class Parts:
    """What was started, with one folder for data and logs. ``settings`` are variables of all their environments."""

    def __init__(self, data: Path) -> None:
        self.data = data
        self.settings: dict[str, str] = {}
        self.bin = Path(sys.executable).parent
        self.children: list[tuple[str, subprocess.Popen[bytes]]] = []

    def spawn(self, name: str, command: list[str], given: bytes | None = None) -> None:
        """Starts a part in a session of its own, so that Ctrl-C reaches it through ``stop``, in the right order."""
        with (self.data / f"{name}.log").open("ab") as log:
            child = subprocess.Popen(
                command,
                env=self.environment(),
                stdin=subprocess.PIPE if given is not None else subprocess.DEVNULL,
                stdout=log,
                stderr=log,
                start_new_session=True,
                preexec_fn=_end_with_parent if sys.platform == "linux" else None,
            )
        self.children.append((name, child))
        if given is not None and child.stdin:
            child.stdin.write(given)
            child.stdin.close()

    def wait(self) -> None:
        """Returns when a part has ended by itself. Raises DemoFailed then."""
        while True:
            self.check()
            time.sleep(0.5)

    def wait_for(self, what: str, is_so: Callable[[], bool]) -> None:
        """Waits until something is so, while all parts run. Raises DemoFailed."""
        print(f"Waiting for {what} …", flush=True)
        ends = time.monotonic() + PATIENCE
        while not is_so():
            self.check()
            if time.monotonic() > ends:
                raise DemoFailed(f"Waited {PATIENCE:g} s for {what}. The logs are in {self.data}.")
            time.sleep(0.2)

    def stop(self) -> None:
        """Ends what was started: the hosts first, so that they can say goodbye."""
        for _, child in reversed(self.children):
            if child.poll() is None:
                child.send_signal(signal.SIGTERM)
                try:
                    child.wait(STOP_PATIENCE)
                except subprocess.TimeoutExpired:
                    child.kill()
                    child.wait()
        self.children.clear()

    def paddock(self, *arguments: str, password: str = "") -> str:
        """What ``paddock`` says, run on the data folder. Raises DemoFailed."""
        done = subprocess.run(
            [str(self.bin / "paddock"), *arguments],
            env=self.environment({"PADDOCK_PASSWORD": password}),
            capture_output=True,
            text=True,
            check=False,
        )
        if done.returncode:
            raise DemoFailed(done.stderr.strip())
        return done.stdout

    def paste(self, name: str, line: str) -> None:
        """Types a line into a machine's terminal."""
        paste = subprocess.run(
            [str(self.bin / "paddock-terminal"), name, "--data", str(self.data)],
            input=f"{line}\n", capture_output=True, text=True, check=False,
        )  # fmt: skip
        if paste.returncode:
            raise DemoFailed(f"{name}: {paste.stderr.strip()}")

    def environment(self, more: dict[str, str] | None = None) -> dict[str, str]:
        """The variables of a part. The settings file of a server that is installed here is not the demo's."""
        return {
            **os.environ,
            "PADDOCK_CONFIG": os.devnull,
            "PADDOCK_DATA": str(self.data),
            **self.settings,
            **(more or {}),
        }

    def check(self) -> None:
        """Raises DemoFailed where a part has ended."""
        for name, child in self.children:
            if child.poll() is not None:
                log = (self.data / f"{name}.log").read_text(errors="replace").strip().splitlines()
                raise DemoFailed(f"The {name} has ended (exit code {child.returncode}): {log[-1] if log else ''}")
