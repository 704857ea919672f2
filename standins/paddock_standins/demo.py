"""The demo: a server, the stand-in hosts and one real agent on this machine, started together and stopped together.

It works from outside, as an administrator would: the commands ``paddock`` and ``paddock-agent``, and the HTTP API.
"""

from __future__ import annotations

import argparse
import contextlib
import json
import os
import secrets
import signal
import socket
import subprocess
import sys
import time
from pathlib import Path
from types import FrameType

from .api_client import Api, ApiError
from .bring_up_story import REAL_HOST, REAL_LABEL, STILL_EXPECTED, bring_in, send_first_jobs
from .description import all_hosts
from .made_up_past import made_up_past
from .parts import DemoFailed, Parts, free_port
from .receivers import SECRET
from .routing_story import set_up_queue
from .running_story import set_up_runs
from .toolchain_story import ASKING, CHANGED, ask_for_tools, set_up_kits
from .troubles import TROUBLES, found_all, set_up_telling, set_up_watching
from .upkeep_story import set_up_upkeep

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


class Demo:
    """What the demo has started, and where it keeps it."""

    def __init__(self, data: Path, port: int) -> None:
        self.data = data
        self.port = port
        self.url = f"http://127.0.0.1:{port}"
        self.received = data / "received"
        self.parts = Parts(data)
        data.mkdir(parents=True, exist_ok=True, mode=0o700)

    def start(self) -> None:
        """Starts everything and waits until it works together. Raises DemoFailed."""
        self._check_port()
        login = self._login()
        mail, webhook = free_port(), free_port()
        self.parts.settings = {
            "PADDOCK_SMTP": f"smtp://127.0.0.1:{mail}",
            "PADDOCK_URL": self.url,
            "PADDOCK_LINK_GRACE": GRACE,
        }
        self.parts.spawn(
            "receivers",
            [sys.executable, "-m", "paddock_standins.receivers", "--folder", str(self.received),
             "--mail", str(mail), "--webhook", str(webhook)],
        )  # fmt: skip
        git_port = self._kept_port("git-port")
        repositories = self.data / "repositories"
        repositories.mkdir(exist_ok=True)
        self.parts.spawn(
            "git",
            [sys.executable, "-m", "paddock_standins.git_host", "--folder", str(repositories), "--port", str(git_port)],
        )
        self.parts.spawn("server", [str(self.parts.bin / "paddock"), "serve", "--port", str(self.port)])
        self.parts.wait_for("the server to answer", lambda: Api(self.url).is_up())
        api = Api(self.url, login["token"])
        turned_away = self._turned_away(api)
        if REAL_HOST in turned_away:
            self._identity_of(REAL_HOST).unlink()
        passes = self._passes(api)
        self.parts.spawn(
            "standins",
            [sys.executable, "-m", "paddock_standins", "--server", self.url, "--data", str(self.data / "standins")],
            json.dumps(passes).encode(),
        )
        self._start_real_agent(passes)
        expected = {one.name for one in all_hosts() if not one.is_bare} - turned_away | {REAL_HOST}
        stay = {one.name for one in all_hosts() if one.stays_at_the_gate}
        self.parts.wait_for(f"{len(expected)} hosts to connect", lambda: self._all_connected(api, expected, stay))
        if not api.get("/api/v1/jobs/")["results"]:
            send_first_jobs(api, self.parts.wait_for)
            bring_in(api, self.url, self.parts.paste, self.parts.wait_for)
            set_up_kits(api)
            ask_for_tools(api)
            self.parts.wait_for(
                "the jobs that ask for tools to end", lambda: self._all_ended(api, {one for _, one, _ in ASKING})
            )
            set_up_runs(api, f"http://127.0.0.1:{git_port}", repositories, self.parts.paste, self.parts.wait_for)
            set_up_queue(api, f"http://127.0.0.1:{git_port}", repositories, self.parts.wait_for)
            set_up_upkeep(api)
            self._remember(api)
            set_up_watching(api)
            (self.received / SECRET).write_text(set_up_telling(api, f"http://127.0.0.1:{webhook}/"))
        else:
            self._move_webhook(api, f"http://127.0.0.1:{webhook}/")
        self._trouble(api)
        self._say_where(login, api)

    def stop(self) -> None:
        """Ends what was started."""
        self.parts.stop()

    def wait(self) -> None:
        """Returns when a part has ended by itself. Raises DemoFailed then."""
        self.parts.wait()

    def _kept_port(self, name: str) -> int:
        """A port that is chosen once, and the same at every start: what is kept in the database names it."""
        file = self.data / name
        if not file.exists():
            file.write_text(str(free_port()))
        return int(file.read_text())

    def _all_ended(self, api: Api, names: set[str]) -> bool:
        jobs = api.get("/api/v1/jobs/?page_size=200")["results"]
        return all(one["ended_at"] for one in jobs if one["name"] in names)

    def _check_port(self) -> None:
        """Before anything else: a server that answers at this port already would be taken for the demo's own."""
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind(("127.0.0.1", self.port))
            except OSError:
                raise DemoFailed(
                    f"Port {self.port} is taken: another program listens there, perhaps another demo. "
                    f"Stop that one, or take another port: make demo PORT={self.port + 1}"
                ) from None

    def _identity_of(self, host: str) -> Path:
        folder = self.data / "agent" if host == REAL_HOST else self.data / "standins" / host
        return folder / "identity.json"

    def _turned_away(self, api: Api) -> set[str]:
        """The hosts that joined in an earlier run and that somebody turned away then."""
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
        token = self.parts.paddock("token", "--user", USER, "--name", "demo").strip()
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
        """The agent on this machine: joined by its own command if it is new, told of another port if that changed."""
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
                api.post(f"/api/v1/hosts/{name}/admit/")
                host["standing"] = "admitted"
        return all(
            name in hosts
            and hosts[name]["link"] == "connected"
            and hosts[name]["surveyed_at"]
            and (name in stay or hosts[name]["standing"] == "admitted")
            for name in expected
        )

    def _remember(self, api: Api) -> None:
        """Gives the server the past of the stand-ins."""
        known = {one["name"] for one in api.get("/api/v1/hosts/")["results"]}
        file = self.data / "past.json"
        file.write_text(json.dumps(made_up_past([one for one in all_hosts() if one.name in known], time.time())))
        self.parts.paddock("history", str(file))

    def _trouble(self, api: Api) -> None:
        """Lets happen to the machines what happens to machines, and waits until it is found. Stand-ins forget it when
        they are started again, so it happens at every start."""
        for name, lines in TROUBLES.items():
            for line in lines:
                self.parts.paste(name, line)
        for name, lines in CHANGED.items():
            for line in lines:
                self.parts.paste(name, line)
            api.post(f"/api/v1/hosts/{name}/survey/")
        for one in all_hosts():
            if one.name in TROUBLES:
                self.parts.paste(one.name, "paddock-agent watch report")
        self.parts.wait_for("the troubles to be found", lambda: found_all(api))

    def _move_webhook(self, api: Api, webhook: str) -> None:
        """The stand-in of the webhook listens elsewhere at each start."""
        for rule in api.get("/api/v1/telling/")["rules"]:
            if rule["kind"] == "webhook":
                api.patch(f"/api/v1/telling/{rule['id']}/", {"target": webhook})

    def _say_where(self, login: dict[str, str], api: Api) -> None:
        jobs = api.get("/api/v1/jobs/")["results"]
        print(f"\nYellow Paddock is at {self.url}")
        print(f"  log in as {login['user']} (administrator), password {login['password']}")
        print(f"  or as {' or '.join(f'{name} ({role})' for name, role in OTHERS.items())}, with the same password\n")
        for job in sorted(jobs, key=lambda one: int(one["id"]))[:3]:
            where = f" on {job['attempts'][-1]['host']}" if job["attempts"] else ""
            print(f"  job {job['id']} {job['name']}: {job['state']}{where}. {job['reason']}".rstrip())
        print(f"\n{STILL_EXPECTED} is expected, and bare: make the command on its sheet in the yard, and paste it into")
        print(f"  {self.parts.bin / 'paddock-terminal'} {STILL_EXPECTED}")
        print(f"\nWhat the demo's mail server and webhook got is in {self.received}.")
        print(f"Logs and data are in {self.data}; `make demo-clean` removes them.")
        print("Ctrl-C stops everything.", flush=True)


def main() -> int:
    """Runs the demo until Ctrl-C. Exit code 1 where it cannot start, or a part of it ends."""
    parser = argparse.ArgumentParser(prog="paddock-demo", description=__doc__)
    parser.add_argument("--data", type=Path, default=Path(".data/demo"))
    parser.add_argument("--port", type=int, default=int(os.environ.get("PADDOCK_PORT", "8200")))
    options = parser.parse_args()
    demo = Demo(options.data.absolute(), options.port)
    signal.signal(signal.SIGTERM, _interrupt)
    try:
        demo.start()
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
