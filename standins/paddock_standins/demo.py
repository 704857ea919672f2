"""The demo: a server, the stand-in hosts and one real agent on this machine, started together and stopped together.

It works from outside, as an administrator would: the commands ``paddock`` and ``paddock-agent``, and the HTTP API.
"""

from __future__ import annotations

import argparse
import contextlib
import json
import os
import secrets
import shutil
import signal
import socket
import subprocess
import sys
import time
from pathlib import Path
from types import FrameType

from .api_client import Api, ApiError
from .bring_up_story import REAL_HOST, REAL_LABEL, STILL_EXPECTED, tell_bring_ups, tell_first_jobs
from .description import all_hosts
from .made_up_past import made_up_past
from .made_up_runs import ORIGIN, made_up_runs
from .parts import DemoFailed, Parts, free_port
from .people_story import tell_people, tell_sign_on
from .rollout_story import tell_rollouts
from .routing_story import tell_queue, tell_source, tell_work
from .running_story import tell_builds, tell_lost_run
from .sign_on_provider import CLIENT
from .standby_story import tell_sleepers, tell_wakes
from .story import Stage, Story, tell_all
from .toolchain_story import tell_asking, tell_kits
from .troubles import tell_receivers, tell_troubles, tell_watching
from .upkeep_story import tell_upkeep

USER = "harbourmaster"
OTHERS = {"deckhand": "operator", "lookout": "viewer"}
PADDOCKS = {
    "shoreline": "Firmware and telemetry for tide gauges and buoys",
    "workshop": "Harbour charts for the desktop",
    "orchard": "Pilot's app for phones",
    "annex": "Spare room",
}
GRACE = "15"
"""Seconds. Shorter than usual, so that heartbeats come every five: whoever looks at a demo does not wait."""


PORT_PATIENCE = 15.0
"""Seconds."""


class Demo:
    """What the demo has started, and where it keeps it."""

    def __init__(self, data: Path, port: int, *, has_sign_on: bool = False) -> None:
        self.data = data
        self.has_sign_on = has_sign_on
        self.port = port
        self.url = f"http://127.0.0.1:{port}"
        self.received = data / "received"
        self.parts = Parts(data)
        data.mkdir(parents=True, exist_ok=True, mode=0o700)

    def start(self) -> None:
        """Starts everything, so that the server can be looked at. Raises DemoFailed."""
        self._wait_for_port()
        login = self._login()
        mail, webhook = free_port(), free_port()
        self.parts.settings = {
            "PADDOCK_SMTP": f"smtp://127.0.0.1:{mail}",
            "PADDOCK_URL": self.url,
            "PADDOCK_BACKUP_FOLDER": str(self.data.with_name(f"{self.data.name}-backups")),
            "PADDOCK_LINK_GRACE": GRACE,
            "PADDOCK_WAKE_PORT": str(self._stable_port("wake-port")),
            "PADDOCK_CONTROLLER_PORT": str(self._stable_port("controller-port")),
        }
        self.parts.spawn(
            "receivers",
            [sys.executable, "-m", "paddock_standins.receivers", "--folder", str(self.received),
             "--mail", str(mail), "--webhook", str(webhook)],
        )  # fmt: skip
        git_port = self._stable_port("git-port")
        repositories = self.data / "repositories"
        repositories.mkdir(exist_ok=True)
        self.parts.spawn(
            "git",
            [sys.executable, "-m", "paddock_standins.git_host", "--folder", str(repositories), "--port", str(git_port)],
        )
        self.parts.spawn("server", [str(self.parts.bin / "paddock"), "serve", "--port", str(self.port)])
        self.parts.wait_for("the server to answer", lambda: Api(self.url).is_up())
        self.stage = Stage(
            Api(self.url, login["token"]), self.data, self.url, f"http://127.0.0.1:{git_port}",
            f"http://127.0.0.1:{webhook}/", self.parts.paste, self.parts.paddock, self.parts.check,
        )  # fmt: skip
        self._say_where(login)

    def fill(self) -> list[str]:
        """Puts into the demo what is not there yet, and says how far that is; the names of the stories that failed.
        Raises DemoFailed."""
        print("\nIt goes on filling while you look:", flush=True)
        failed = tell_all(self._stories(), self.stage, lambda line: print(line, flush=True))
        if failed:
            print(f"\nThe demo is there but for: {', '.join(failed)}.")
            print(f"The next start tries that again; the logs are in {self.data}.", flush=True)
        else:
            print("\nThe demo is whole.", flush=True)
        return failed

    def _stories(self) -> list[Story]:
        return [
            Story("machines that join and connect", self._tell_machines),
            Story("first jobs", tell_first_jobs),
            Story("machines that come in by their sheets", tell_bring_ups),
            Story("kits", tell_kits),
            Story("jobs that ask for tools", tell_asking),
            Story("a build that passes, and one that fails", tell_builds),
            Story("jobs at work", tell_work),
            Story("jobs that wait", tell_queue),
            Story("a pipeline from a Git repository", tell_source),
            Story("chores and maintenance windows", tell_upkeep),
            Story("the past of the machines", self._tell_past),
            Story("six weeks of jobs", self._tell_runs),
            Story("watched services", tell_watching),
            Story("mail and webhook", tell_receivers),
            Story("a run that is lost and tried again", tell_lost_run),
            Story("people", tell_people),
            Story("rollouts of the agent", tell_rollouts),
            Story("machines that sleep", tell_sleepers),
            *([Story("sign-on", self._tell_sign_on)] if self.has_sign_on else []),
            Story("troubles", tell_troubles),
            Story("a machine that wakes for a job", tell_wakes),
        ]

    def _tell_sign_on(self, stage: Stage) -> None:
        """Starts the stand-in for the company's sign-on provider, and sets it up."""
        port, secret = self._stable_port("sign-on-port"), secrets.token_urlsafe(24)
        names = (self.url, self.url.replace("127.0.0.1", "localhost"))
        redirects = [part for name in names for part in ("--redirect", f"{name}/sign-on/return")]
        self.parts.spawn(
            "sign-on",
            [sys.executable, "-m", "paddock_standins.sign_on_provider", "--port", str(port), *redirects],
            f"{secret}\n".encode(),
        )
        tell_sign_on(stage, f"http://127.0.0.1:{port}", CLIENT, secret)

    def _tell_machines(self, stage: Stage) -> None:
        """Starts the machines and waits until all are there, each let in but those that stay at the gate."""
        api = stage.api
        turned_away = self._turned_away(api)
        if REAL_HOST in turned_away:
            self._identity_of(REAL_HOST).unlink()
        self._forget_keyless(api)
        passes = self._passes(api)
        self.parts.spawn(
            "standins",
            [sys.executable, "-m", "paddock_standins", "--server", self.url, "--data", str(self.data / "standins")],
            json.dumps(passes).encode(),
        )
        self._start_real_agent(passes)
        expected = {one.name for one in all_hosts() if not one.is_bare} - turned_away | {REAL_HOST}
        stay = {one.name for one in all_hosts() if one.stays_at_the_gate}
        stage.wait_for(f"{len(expected)} machines to connect", lambda: self._all_connected(api, expected, stay))

    def _forget_keyless(self, api: Api) -> None:
        """Machines that the server knows, and whose key was never noted here because the demo was cut off: they come in
        again."""
        names = {one.name for one in all_hosts() if not one.is_bare} | {REAL_HOST}
        for host in api.get("/api/v1/hosts/")["results"]:
            if host["name"] in names and not self._identity_of(host["name"]).exists():
                verb = "turn-away" if host["standing"] == "at the gate" else "retire"
                reason = "its key was lost when the demo was cut off"
                api.post(f"/api/v1/hosts/{host['name']}/{verb}/", {"reason": reason})

    def stop(self) -> None:
        """Ends what was started."""
        self.parts.stop()

    def wait(self) -> None:
        """Returns when a part has ended by itself. Raises DemoFailed then."""
        self.parts.wait()

    def _stable_port(self, name: str) -> int:
        """A port that is chosen once, and the same at every start: what is kept in the database names it."""
        file = self.data / name
        if not file.exists():
            file.write_text(str(free_port()))
        return int(file.read_text())

    def _wait_for_port(self) -> None:
        """Before anything else: a server that answers at this port already would be taken for the demo's own. One of a
        demo that was killed a moment ago is about to end."""
        ends = time.monotonic() + PORT_PATIENCE
        while not self._is_free():
            if time.monotonic() > ends:
                raise DemoFailed(
                    f"Port {self.port} is taken: another program listens there, perhaps another demo. "
                    f"Stop that one, or take another port: make demo PORT={self.port + 1}"
                )
            time.sleep(0.2)

    def _is_free(self) -> bool:
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind(("127.0.0.1", self.port))
            except OSError:
                return False
        return True

    def _identity_of(self, host: str) -> Path:
        folder = self.data / "agent" if host == REAL_HOST else self.data / "standins" / host
        return folder / "identity.json"

    def _turned_away(self, api: Api) -> set[str]:
        """The hosts that joined in an earlier run and were turned away then."""
        known = {one["name"] for one in api.get("/api/v1/hosts/")["results"]}
        names = {one.name for one in all_hosts()} | {REAL_HOST}
        return {name for name in names - known if self._identity_of(name).exists()}

    def _login(self) -> dict[str, str]:
        """The people and the token, made at the first start and kept in a file that only this user can read."""
        file = self.data / "login.json"
        if file.exists():
            login: dict[str, str] = json.loads(file.read_text())
            return login
        password = "-".join(["tide", secrets.token_hex(4), "gauge"])
        self.parts.paddock("user", USER, "--role", "administrator", password=password)
        for name, role in OTHERS.items():
            self.parts.paddock("user", name, "--role", role, password=password)
        token = self.parts.paddock("token", "--user", USER, "--name", "demo", "--days", "366").strip()
        login = {"user": USER, "password": password, "token": token}
        with os.fdopen(os.open(file, os.O_WRONLY | os.O_CREAT, 0o600), "w") as out:
            json.dump(login, out)
        return login

    def _passes(self, api: Api) -> dict[str, str]:
        """A fresh pass for each paddock that a host still has to join."""
        known = {one["name"] for one in api.get("/api/v1/paddocks/")["results"]}
        for name, purpose in PADDOCKS.items():
            if name not in known:
                api.post("/api/v1/paddocks/", {"name": name, "purpose": purpose})
        wanted: dict[str, int] = {}
        for one in all_hosts():
            if not one.is_bare and not self._identity_of(one.name).exists():
                wanted[one.paddock] = wanted.get(one.paddock, 0) + 1
        if not self._identity_of(REAL_HOST).exists():
            wanted["shoreline"] = wanted.get("shoreline", 0) + 1
        return {
            paddock: api.post(
                "/api/v1/passes/", {"name": f"demo, {paddock}", "paddock": paddock, "uses": uses, "hours": 1}
            )["secret"]
            for paddock, uses in wanted.items()
        }

    def _start_real_agent(self, passes: dict[str, str]) -> None:
        """The agent on this machine: joined by its own command if it is new, given the new port if that changed."""
        home = self.data / "agent"
        agent = str(self.parts.bin / "paddock-agent")
        identity = self._identity_of(REAL_HOST)
        if identity.exists():
            known = json.loads(identity.read_text())
            identity.write_text(json.dumps({**known, "server": self.url}))
        else:
            done = subprocess.run(
                [agent, "join", "--home", str(home), "--server", self.url, "--name", REAL_HOST,
                 "--labels", f"{REAL_LABEL},bench-rig"],
                env=self.parts.environment({"PADDOCK_PASS": passes["shoreline"]}),
                capture_output=True, text=True, check=False,
            )  # fmt: skip
            if done.returncode:
                raise DemoFailed(done.stderr.strip())
        self.parts.spawn("agent", [agent, "run", "--home", str(home)])

    def _all_connected(self, api: Api, expected: set[str], stay: set[str]) -> bool:
        hosts = {one["name"]: one for one in api.get("/api/v1/hosts/")["results"]}
        for name, host in hosts.items():
            if host["standing"] == "at the gate" and name in expected - stay and host["surveyed_at"]:
                api.post(f"/api/v1/hosts/{name}/admit/", {"as_asked": True})
                host["standing"] = "admitted"
        return all(
            name in hosts
            and hosts[name]["link"] == "connected"
            and hosts[name]["surveyed_at"]
            and (name in stay or hosts[name]["standing"] == "admitted")
            for name in expected
        )

    def _tell_past(self, stage: Stage) -> None:
        """Gives the server the past of the stand-ins, once: what it has of them itself is then newer."""
        there = self.data / "past-is-there"
        if there.exists():
            return
        known = {one["name"] for one in stage.api.get("/api/v1/hosts/")["results"]}
        file = self.data / "past.json"
        hosts, disk = [one for one in all_hosts() if one.name in known], shutil.disk_usage(self.data)
        file.write_text(json.dumps(made_up_past(hosts, time.time(), disk.free, disk.total)))
        stage.paddock("history", str(file))
        there.touch()

    def _tell_runs(self, stage: Stage) -> None:
        """Gives the server the runs of the last six weeks, once."""
        there = self.data / "runs-are-there"
        if there.exists():
            return
        file = self.data / "runs.jsonl"
        file.write_text("\n".join(made_up_runs(all_hosts(), time.time())) + "\n")
        stage.paddock("history", str(file), "--runs", ORIGIN)
        there.touch()

    def _say_where(self, login: dict[str, str]) -> None:
        print(f"\nYellow Paddock is at {self.url}")
        print(f"  log in as {login['user']} (administrator), password {login['password']}")
        print(f"  or as {' or '.join(f'{name} ({role})' for name, role in OTHERS.items())}, with the same password")
        print(f"\n{STILL_EXPECTED} will be expected, and bare: make the command on its sheet, and paste it into")
        print(f"  {self.parts.bin / 'paddock-terminal'} {STILL_EXPECTED}")
        print(f"\nWhat the demo's mail server and webhook get is in {self.received}.")
        print(f"Logs and data are in {self.data}; `make demo-clean` removes them.")
        print("Ctrl-C stops everything.", flush=True)


def main() -> int:
    """Runs the demo until Ctrl-C. Exit code 1 where it cannot start, or a part of it ends."""
    parser = argparse.ArgumentParser(prog="paddock-demo", description=__doc__)
    parser.add_argument("--data", type=Path, default=Path(".data/demo"))
    parser.add_argument("--port", type=int, default=int(os.environ.get("PADDOCK_PORT", "8200")))
    parser.add_argument("--sign-on", action="store_true", help="with a stand-in for a sign-on provider")
    options = parser.parse_args()
    demo = Demo(options.data.absolute(), options.port, has_sign_on=options.sign_on)
    signal.signal(signal.SIGTERM, _interrupt)
    try:
        demo.start()
        demo.fill()
        demo.wait()
    except KeyboardInterrupt:
        print("\nStopping …", flush=True)
    except (DemoFailed, ApiError) as error:
        print(error, file=sys.stderr)
        return 1
    finally:
        # A second Ctrl-C must not leave half of it running.
        with contextlib.suppress(ValueError):
            signal.signal(signal.SIGINT, signal.SIG_IGN)
        demo.stop()
    return 0


def _interrupt(number: int, frame: FrameType | None) -> None:
    raise KeyboardInterrupt
