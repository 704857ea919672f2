"""A real server and real agents, as processes, for tests that need the whole."""

from __future__ import annotations

import atexit
import functools
import os
import resource
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
from pathlib import Path

from waiting import until

from paddock_standins.api_client import Api

BIN = Path(sys.executable).parent
PASSWORD = "tide-gauge-tests"


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port: int = probe.getsockname()[1]
        return port


def command(environment: dict[str, str], *arguments: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run([BIN / "paddock", *arguments], env=environment, capture_output=True, text=True, check=False)


def own_environment(**variables: str) -> dict[str, str]:
    """The environment without what this machine's says of a server."""
    kept = {name: value for name, value in os.environ.items() if not name.startswith(("PADDOCK_", "DJANGO_"))}
    return {**kept, "PADDOCK_CONFIG": os.devnull, **variables, "PADDOCK_PASSWORD": PASSWORD}


@functools.cache
def new_data() -> tuple[Path, str]:
    """The data of a server that has done nothing but make an administrator, and a token of theirs. To be copied: making
    the database takes longer than most tests do."""
    folder = Path(tempfile.mkdtemp(prefix="new-data-"))
    atexit.register(shutil.rmtree, folder, ignore_errors=True)
    environment = own_environment(PADDOCK_DATA=str(folder))
    command(environment, "user", "harbourmaster", "--role", "administrator").check_returncode()
    return folder, command(environment, "token", "--user", "harbourmaster").stdout.strip()


class RealServer:
    """``paddock serve`` on a port of its own, with an administrator called harbourmaster."""

    def __init__(
        self,
        data: Path,
        grace: float = 45,
        bind: str = "127.0.0.1",
        watch: float = 60,
        lease: float | None = None,
        files: int | None = None,
        proxies: str = "",
        name: str = "",
        settings: dict[str, str] | None = None,
    ) -> None:
        """``name``: what the server is called beside its address. ``files``: how many files the server may open, for
        tests of what happens when there are no more. ``settings``: more variables."""
        self._files = files
        self.port = free_port()
        scheme = "https" if settings and "PADDOCK_CERTIFICATE" in settings else "http"
        self.url = f"{scheme}://{bind}:{self.port}"
        self.named_url = f"http://{name or bind}:{self.port}"
        self._bind = bind
        self._data = data
        self._grace = grace
        self.environment = own_environment(
            PADDOCK_DATA=str(data),
            PADDOCK_LINK_GRACE=str(grace),
            PADDOCK_LEASE=str(grace if lease is None else lease),
            PADDOCK_WATCH_SECONDS=str(watch),
            PADDOCK_HOSTS=",".join(filter(None, [bind, name])),
            PADDOCK_PROXIES=proxies,
            **(settings or {}),
        )
        self._process: subprocess.Popen[bytes] | None = None
        folder, token = new_data()
        shutil.copytree(folder, data, dirs_exist_ok=True)
        self.api = Api(self.url, token)
        self.start()

    def command(self, *arguments: str) -> subprocess.CompletedProcess[str]:
        return command(self.environment, *arguments)

    def start(self) -> None:
        with (self._data / "server.log").open("ab") as log:
            self._process = subprocess.Popen(
                [BIN / "paddock", "serve", "--bind", self._bind, "--port", str(self.port)],
                env=self.environment,
                stdout=log,
                stderr=log,
                preexec_fn=self._limit_files if self._files else None,
            )
        until(self._is_up, "the server to answer")

    def _limit_files(self) -> None:
        assert self._files
        resource.setrlimit(resource.RLIMIT_NOFILE, (self._files, self._files))

    def _is_up(self) -> bool:
        assert self._process and self._process.poll() is None, self.log()
        return self.api.is_up()

    def stop(self, number: int = signal.SIGTERM) -> None:
        assert self._process
        if self._process.poll() is None:
            self._process.send_signal(number)
        self._process.wait(30)

    def log(self) -> str:
        return (self._data / "server.log").read_text(errors="replace")

    def make_pass(self, paddock: str = "shoreline", **more: object) -> str:
        if paddock not in {one["name"] for one in self.api.get("/api/v1/paddocks/")["results"]}:
            self.api.post("/api/v1/paddocks/", {"name": paddock})
        secret: str = self.api.post("/api/v1/passes/", {"name": "tests", "paddock": paddock, **more})["secret"]
        return secret

    def make_sheet(self, paddock: str = "shoreline", **more: object) -> dict:
        """A bring-up sheet for a Linux machine, with its command."""
        self.make_pass(paddock)
        body = {"paddock": paddock, "system": "linux", "arch": "x64", "server": self.url, **more}
        return self.api.post("/api/v1/bring-ups/", body)

    def steps(self, sheet: dict) -> dict[str, dict]:
        """The steps of a sheet as they are now, by name."""
        fresh = self.api.get(f"/api/v1/bring-ups/{sheet['id']}/")
        return {one["step"]: one for one in fresh["steps"]}

    def host(self, name: str) -> dict:
        return self.api.get(f"/api/v1/hosts/{name}/")

    def finding(self, code: str, host: str = "") -> dict | None:
        """The open finding of this kind, of one host if that is named; None where there is none."""
        found = self.api.get("/api/v1/findings/")["findings"]
        return next((one for one in found if one["code"] == code and (not host or host in one["hosts"])), None)

    def job(self, number: int) -> dict:
        return self.api.get(f"/api/v1/jobs/{number}/")

    def submit(self, script: str, terms: list[str] | None = None, **more: object) -> int:
        job = {"name": "soak", "pipeline": "buoy-telemetry", "terms": terms or [], "script": script, **more}
        number: int = self.api.post("/api/v1/jobs/", job)["id"]
        return number


FEW_TOOLS = (
    "bash", "cat", "echo", "env", "git", "head", "id", "ls", "mkdir", "printf", "pwd", "rm", "sed", "seq", "setsid",
    "sh", "sleep", "tail", "touch", "tr", "true",
)  # fmt: skip


@functools.cache
def path_of_few_tools() -> str:
    """A folder for PATH with what scripts of tests call: a survey of all of a machine costs seconds each time."""
    folder = Path(tempfile.mkdtemp(prefix="few-tools-"))
    for name in FEW_TOOLS:
        if found := shutil.which(name, path="/usr/bin:/bin:/usr/sbin"):
            (folder / name).symlink_to(found)
    return str(folder)


class RealAgent:
    """``paddock-agent`` with a home of its own. With ``all_tools`` it has this machine's whole PATH."""

    def __init__(self, server: RealServer, home: Path, name: str, *, all_tools: bool = False) -> None:
        self._path = os.environ.get("PATH", os.defpath) if all_tools else path_of_few_tools()
        self._server = server
        self.home = home
        self.name = name
        self._process: subprocess.Popen[bytes] | None = None

    def join(self, secret: str, *more: str) -> subprocess.CompletedProcess[str]:
        command = [
            BIN / "paddock-agent",
            "join",
            "--home",
            self.home,
            "--server",
            self._server.url,
            "--name",
            self.name,
        ]
        return subprocess.run(
            [*command, *more],
            env={**self._server.environment, "PADDOCK_PASS": secret},
            capture_output=True,
            text=True,
            check=False,
        )

    def start(self) -> None:
        self.home.mkdir(parents=True, exist_ok=True)
        with (self.home / "agent.log").open("ab") as log:
            self._process = subprocess.Popen(
                [BIN / "paddock-agent", "run", "--home", self.home],
                env={**self._server.environment, "PATH": self._path},
                stdout=log,
                stderr=log,
            )

    def come_in(self, *more: str) -> None:
        """Joins, connects, and is let in."""
        done = self.join(self._server.make_pass(), *more)
        assert done.returncode == 0, done.stderr
        self._server.api.post(f"/api/v1/hosts/{self.name}/admit/", {"as_asked": True})
        self.start()
        until(lambda: self._server.host(self.name)["surveyed_at"], "the survey")

    def stop(self, number: int = signal.SIGTERM) -> int:
        assert self._process
        if self._process.poll() is None:
            self._process.send_signal(number)
        return self._process.wait(30)

    def log(self) -> str:
        return (self.home / "agent.log").read_text(errors="replace")
