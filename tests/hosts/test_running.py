"""Work that survives: real builds from real repositories, kills and cuts at any moment, and nothing lost or doubled."""

from __future__ import annotations

import contextlib
import http.client
import json
import random
import shutil
import signal
import socket
import threading

import pytest
from processes import RealAgent, RealServer
from waiting import until

from paddock_standins.api_client import ApiError
from paddock_standins.git_host import GitHost, make_repository

ENDED = ("passed", "failed", "cancelled", "timed out", "lost")
LOGIN = "robin:eelgrass-42-saltmarsh"


@pytest.fixture(scope="module")
def server(tmp_path_factory):
    real = RealServer(tmp_path_factory.mktemp("server"), grace=1, lease=600)
    yield real
    real.stop()


@pytest.fixture(scope="module")
def agent(server, tmp_path_factory):
    real = RealAgent(server, tmp_path_factory.mktemp("agent"), "curlew-71", all_tools=True)
    real.come_in("--labels", "curlew-71", "--slots", "2")
    yield real
    real.stop()


def ended(server, number):
    return until(lambda: (job := server.job(number))["state"] in ENDED and job, f"job {number} to end")


def log_of(server, number):
    return server.api.get_bytes(f"/api/v1/jobs/{number}/log/").decode()


def sheet(server, number, attempt=1):
    return server.api.get(f"/api/v1/jobs/{number}/attempts/{attempt}/")


def output(server, number, file):
    return server.api.get_bytes(f"/api/v1/jobs/{number}/attempts/1/outputs/{file}/")


# ---- builds --------------------------------------------------------------------------------------------------------

PLUGIN = "org.apache.maven.plugins:maven-{}-plugin:{}"
MAVEN = " ".join(
    PLUGIN.format(*one)
    for one in (("resources", "3.3.0:resources"), ("compiler", "3.10.1:compile"), ("jar", "3.3.0:jar"))
)
FILES = {
    "gauge/CMakeLists.txt": "cmake_minimum_required(VERSION 3.10)\nproject(gauge C)\nadd_executable(gauge gauge.c)\n",
    "gauge/gauge.c": '#include <stdio.h>\nint main(void) { puts("high water 3.2 m"); return 0; }\n',
    "tables/pom.xml": """<project xmlns="http://maven.apache.org/POM/4.0.0"><modelVersion>4.0.0</modelVersion>
        <groupId>saltmarsh</groupId><artifactId>tables</artifactId><version>1.0</version><properties>
        <maven.compiler.source>11</maven.compiler.source><maven.compiler.target>11</maven.compiler.target>
        <project.build.sourceEncoding>UTF-8</project.build.sourceEncoding></properties></project>""",
    "tables/src/main/java/saltmarsh/Tables.java": """package saltmarsh; public class Tables {
        public static void main(String[] given) { System.out.println("spring tide"); } }""",
    "almanac/almanac/__main__.py": "print('neap tide')\n",
    "almanac/test_almanac.py": """import unittest
class Tide(unittest.TestCase):
    def test_rises(self): self.assertEqual(1 + 1, 2)
    def test_falls(self): self.assertEqual(1, 2, "it did not fall")
result = unittest.TextTestRunner().run(unittest.defaultTestLoader.loadTestsFromTestCase(Tide))
with open("report.xml", "w") as report:
    report.write(f'<testsuite name="almanac"><testcase name="rises"/><testcase name="falls"><failure>'
                 f'{result.failures[0][1].splitlines()[-1]}</failure></testcase></testsuite>')
""",
}
PIPELINE = """
pipeline: saltmarsh-builds
defaults:
  terms: [label curlew-71, tool git]
  secrets: [GIT_LOGIN]
jobs:
  gauge:
    terms: [tool cmake 3.10+, tool gcc]
    work_folder: warm
    steps:
      - {{name: sources, checkout: {{url: "{url}", ref: main, depth: 1, secret: GIT_LOGIN}}}}
      - {{name: build, folder: gauge, script: "cmake -S . -B build && cmake --build build"}}
      - {{name: run, script: gauge/build/gauge}}
    outputs: [gauge/build/gauge]
  tables:
    terms: [tool maven, tool jdk 11+]
    steps:
      - {{checkout: {{url: "{url}", ref: main, commit: {commit}, secret: GIT_LOGIN}}}}
      - folder: tables
        script: |
          mvn --offline --quiet --batch-mode -Dmaven.repo.local=/usr/share/maven-repo {maven}
          java -cp target/tables-1.0.jar saltmarsh.Tables
    outputs: ["tables/target/*.jar"]
  almanac:
    steps:
      - {{checkout: {{url: "{url}", ref: main, secret: GIT_LOGIN}}}}
      - {{folder: almanac, script: "python3 -m zipapp almanac && python3 almanac.pyz && python3 test_almanac.py"}}
    outputs: [almanac/almanac.pyz]
    tests: [almanac/report.xml]
"""


@pytest.mark.skipif(not (shutil.which("cmake") and shutil.which("mvn")), reason="needs CMake and Maven")
def test_a_c_project_a_maven_project_offline_and_a_python_one_are_built_from_git(server, agent, tmp_path):
    commit = make_repository(tmp_path, "builds", FILES)
    git = GitHost(tmp_path, login=LOGIN)
    threading.Thread(target=git.serve_forever, daemon=True).start()
    secret = {"name": "GIT_LOGIN", "value": LOGIN, "pipelines": ["saltmarsh-*"], "paddocks": ["*"]}
    server.api.post("/api/v1/secrets/", secret)
    text = PIPELINE.format(url=f"{git.url}/builds.git", commit=commit, maven=MAVEN)
    for again in (False, True):
        jobs = {one["name"]: one["id"] for one in server.api.post("/api/v1/submissions/", {"text": text})["jobs"]}
        texts = {"gauge": "high water 3.2 m", "tables": "spring tide", "almanac": "neap tide"}
        for name, number in jobs.items():
            assert ended(server, number)["state"] == "passed", log_of(server, number)
            assert texts[name] in log_of(server, number)
            assert "eelgrass" not in log_of(server, number)
            found = sheet(server, number)
            assert (found["commit"], found["account"] != "", found["steps"][0]["commit"]) == (commit, True, commit)
            assert found["warm"] == (again and name == "gauge")
        if again:
            assert "Built target gauge" in log_of(server, jobs["gauge"])
            assert "Building C object" not in log_of(server, jobs["gauge"]), "the warm folder had it"
    until(lambda: all(one["whole"] for one in sheet(server, jobs["tables"])["outputs"]), "the file to come")
    assert output(server, jobs["tables"], 0).startswith(b"PK")
    tests = until(lambda: sheet(server, jobs["almanac"])["tests"], "the tests to be read")
    assert (tests["passed"], tests["failed"], tests["newly_failing"]) == (1, 1, 0)
    assert "it did not fall" in tests["cases"][0]["message"]
    proof = json.loads(server.api.get_bytes(f"/api/v1/jobs/{jobs['tables']}/attempts/1/proof/"))
    assert proof["predicate"]["buildDefinition"]["resolvedDependencies"][0]["digest"] == {"gitCommit": commit}
    git.shutdown()


# ---- cuts ----------------------------------------------------------------------------------------------------------


class Wire:
    """A way to the server that can be cut."""

    def __init__(self, port: int) -> None:
        self._to = port
        self._open: list[socket.socket] = []
        self._listening = socket.create_server(("127.0.0.1", 0))
        self.port = self._listening.getsockname()[1]
        self.is_cut = False
        threading.Thread(target=self._listen, daemon=True).start()

    def _listen(self) -> None:
        while True:
            near, _ = self._listening.accept()
            if self.is_cut:
                near.close()
                continue
            far = socket.create_connection(("127.0.0.1", self._to))
            self._open += [near, far]
            for one, other in ((near, far), (far, near)):
                threading.Thread(target=self._pass, args=(one, other), daemon=True).start()

    def _pass(self, one: socket.socket, other: socket.socket) -> None:
        try:
            while data := one.recv(65536):
                other.sendall(data)
        except OSError:
            pass
        for end in (one, other):
            end.close()

    def cut(self) -> None:
        self.is_cut = True
        for one in self._open:
            one.close()
        self._open.clear()


def test_a_cut_longer_than_the_grace_costs_no_job_and_its_log_arrives_whole(server, tmp_path):
    way = Wire(server.port)
    agent = RealAgent(server, tmp_path / "agent", "curlew-72")
    assert agent.join(server.make_pass(), "--labels", agent.name).returncode == 0
    known = json.loads((agent.home / "identity.json").read_text())
    known["server"] = f"http://127.0.0.1:{way.port}"
    (agent.home / "identity.json").write_text(json.dumps(known))
    server.api.post(f"/api/v1/hosts/{agent.name}/admit/", {"as_asked": True})
    agent.start()
    try:
        go = tmp_path / "go"
        number = server.submit(
            f"echo one; until [ -e {go} ]; do sleep 0.05; done; seq 1 5000; exit 3", [f"label {agent.name}"]
        )
        until(lambda: log_of(server, number), "the first line")
        way.cut()
        until(lambda: server.host(agent.name)["link"] == "lost", "the host to be lost")
        go.touch()
        until(lambda: "running" not in [path.name for path in agent.home.iterdir()]
              or not list((agent.home / "running").iterdir()), "the job to end in the meantime")  # fmt: skip
        assert server.job(number)["state"] == "running"
        way.is_cut = False
        job = ended(server, number)
        assert (job["state"], len(job["attempts"]), job["attempts"][0]["exit_code"]) == ("failed", 1, 3)
        assert log_of(server, number) == "one\n" + "".join(f"{i}\n" for i in range(1, 5001))
    finally:
        agent.stop()


def test_two_agents_with_one_key_one_is_refused_and_a_finding_opens(server, agent, tmp_path):
    number = server.submit("echo up; sleep 600", [f"label {agent.name}"])
    until(lambda: log_of(server, number), "the job to run")
    twin = RealAgent(server, tmp_path / "twin", agent.name)
    twin.home.mkdir(parents=True)
    shutil.copy(agent.home / "identity.json", twin.home)
    twin.start()
    try:
        found = until(lambda: server.finding("clone", agent.name), "the finding")
        assert "second agent" in json.dumps(found)
        assert server.host(agent.name)["link"] == "connected"
        assert server.job(number)["state"] == "running"
    finally:
        twin.stop()
    server.api.post(f"/api/v1/jobs/{number}/cancel/")
    assert ended(server, number)["state"] == "cancelled"


def test_an_attempt_on_a_host_that_will_not_come_back_is_given_up_by_hand(server, tmp_path):
    agent = RealAgent(server, tmp_path / "agent", "curlew-73")
    agent.come_in("--labels", agent.name)
    number = server.submit("echo up; sleep 600", [f"label {agent.name}"])
    until(lambda: log_of(server, number), "the job to run")
    agent.stop(signal.SIGKILL)
    until(lambda: server.host(agent.name)["link"] == "lost", "the host to be lost")
    assert server.job(number)["state"] == "running"
    server.api.post(f"/api/v1/jobs/{number}/attempts/1/give-up/")
    job = server.job(number)
    assert (job["state"], "harbourmaster gave it up" in job["attempts"][0]["note"]) == ("lost", True)


# ---- faults --------------------------------------------------------------------------------------------------------

JOBS, LINES = 204, 40
KILLS = 9


def test_two_hundred_jobs_under_kills_end_once_each_with_whole_logs_and_no_slot_leaks(tmp_path):
    (tmp_path / "server").mkdir()
    server = RealServer(tmp_path / "server", grace=1, lease=4)
    agents = [RealAgent(server, tmp_path / f"agent-{i}", f"dunlin-{70 + i}") for i in range(3)]
    chance = random.Random(20_261_123)
    try:
        for agent in agents:
            agent.come_in("--labels", "faulty", "--slots", "3")
        # Long enough that jobs are left for the kills: a restart of the server takes as long as several of them.
        script = (
            f"for i in $(seq 1 {LINES}); do echo $PADDOCK_ATTEMPT line $i; done; sleep 1; echo $PADDOCK_ATTEMPT end"
        )
        jobs = [server.submit(script, ["label faulty"], retries=10, name=f"soak {i}") for i in range(JOBS)]
        killed = {"server": 0, "agent": 0}
        for number in range(KILLS):
            open_jobs = _open(server)
            if not open_jobs:
                break
            # The next kill comes when some more have ended, or begun: at a random moment.
            _wait_for_change(server, open_jobs, chance.randint(1, 6))
            if number % 3 == 0:
                killed["server"] += 1
                server.stop(signal.SIGKILL)
                server.start()
            else:
                agent = chance.choice(agents)
                killed["agent"] += 1
                agent.stop(signal.SIGKILL if number % 3 == 1 else signal.SIGTERM)
                agent.start()
        until(lambda: not _open(server), "all jobs to end", 240)
        assert killed["server"] >= 2
        assert killed["agent"] >= 3
        lost = 0
        for number in jobs:
            job = server.job(number)
            assert job["state"] == "passed", job
            *earlier, last = job["attempts"]
            assert last["state"] == "passed"
            assert all(one["state"] in ("lost", "refused") for one in earlier), earlier
            lost += len(earlier)
            name = f"{number}-{last['number']}"
            assert log_of(server, number) == "".join(
                [*(f"{name} line {i}\n" for i in range(1, LINES + 1)), f"{name} end\n"]
            ), f"the log of {name}"
        ends = [one for one in _logbook(server) if one["verb"] == "reported passed"]
        assert len(ends) == len({one["thing"] for one in ends}) == JOBS
        assert lost > 0, "no attempt was hit: the test tested nothing"
        go = tmp_path / "go"
        full = [server.submit(f"until [ -e {go} ]; do sleep 0.05; done", ["label faulty"]) for _ in range(9)]
        until(lambda: all(server.job(one)["state"] == "running" for one in full), "every slot to be free again")
        go.touch()
        assert [ended(server, one)["state"] for one in full] == ["passed"] * 9
    finally:
        for agent in agents:
            agent.stop()
        server.stop()


def _open(server) -> int:
    return sum(server.api.get(f"/api/v1/jobs/?state={state}&page_size=1")["count"] for state in ("waiting", "live"))


def _wait_for_change(server, before: int, some: int) -> None:
    until(lambda: _open(server) <= max(0, before - some), "some jobs to end", 120)


def _logbook(server) -> list[dict]:
    found, page = [], 1
    while True:
        answer = server.api.get(f"/api/v1/logbook/?page_size=500&page={page}")
        found += answer["results"]
        if not answer["next"]:
            return found
        page += 1


def test_what_was_answered_is_there_after_the_server_is_killed_while_many_send(tmp_path):
    """Killed with its queue full: between a commit and its answers, or before the commit."""
    real = RealServer(tmp_path, grace=1)
    real.make_pass()
    answered: list[int] = []

    def send():
        with contextlib.suppress(ApiError, OSError, http.client.HTTPException):
            while True:
                answered.append(real.submit("true", ["label nowhere"]))

    try:
        for _ in range(4):
            before = len(answered)
            senders = [threading.Thread(target=send) for _ in range(16)]
            for sender in senders:
                sender.start()
            until(lambda before=before: len(answered) >= before + 20, "jobs to be answered")
            real.stop(signal.SIGKILL)
            for sender in senders:
                sender.join()
            real.start()
        assert len(set(answered)) == len(answered), "no number twice"
        assert {real.job(number)["state"] for number in answered} == {"waiting"}
    finally:
        real.stop()
