"""A real server and real agents, as processes: what a person would see if things go well, and if they do not."""

from __future__ import annotations

import getpass
import json
import signal
import socket
import subprocess

import psutil
import pytest
from processes import BIN, RealAgent, RealServer, free_port
from waiting import until
from websockets.exceptions import ConnectionClosed, InvalidStatus
from websockets.sync import client

ENDED = ("passed", "failed", "cancelled", "timed out", "lost")


@pytest.fixture(scope="module")
def server(tmp_path_factory):
    real = RealServer(tmp_path_factory.mktemp("server"), grace=1)
    yield real
    real.stop()


@pytest.fixture
def agent(server, tmp_path, request):
    name = "knot-" + "".join(letter if letter.isalnum() else "-" for letter in request.node.name)[-40:].strip("-")
    real = RealAgent(server, tmp_path / "agent", name)
    real.come_in("--labels", name, "--slots", "1")
    yield real
    real.stop()


def ended(server, number):
    return until(lambda: (job := server.job(number))["state"] in ENDED and job, f"job {number} to end")


def log_of(server, number):
    return server.api.get_bytes(f"/api/v1/jobs/{number}/log/")


def is_gone(pid):
    return not psutil.pid_exists(pid) or psutil.Process(pid).status() == psutil.STATUS_ZOMBIE


def test_a_job_runs_for_real_and_says_where(server, agent):
    here = server.host(agent.name)
    assert here["link"] == "connected"
    assert here["facts"]["user"] == getpass.getuser()
    assert "git" in {one["tool"] for one in here["installations"]}
    number = server.submit("id -un; pwd; git --version", [f"label {agent.name}", "tool git"])
    job = ended(server, number)
    (attempt,) = job["attempts"]
    assert (job["state"], attempt["host"], attempt["exit_code"]) == ("passed", agent.name, 0)
    git = subprocess.run(["git", "--version"], capture_output=True, text=True, check=True).stdout
    assert log_of(server, number).decode() == f"{getpass.getuser()}\n{attempt['folder']}\n{git}"
    assert attempt["account"] == getpass.getuser()
    assert attempt["folder"].startswith(str(agent.home))


def test_a_stopped_agent_says_goodbye_and_its_job_is_not_called_failed(server, agent):
    number = server.submit("echo ready; sleep 600", [f"label {agent.name}"])
    until(lambda: log_of(server, number), "the script's first line")
    assert agent.stop() == 0
    until(lambda: server.host(agent.name)["link"] == "stopped", "the goodbye")
    job = ended(server, number)
    assert job["state"] == "lost"
    assert job["attempts"][0]["note"]


def test_a_killed_agent_is_lost_its_script_ended_and_a_job_that_may_is_tried_again(server, agent):
    number = server.submit(
        "echo $$; [ $PADDOCK_ATTEMPT = $PADDOCK_JOB-2 ] || sleep 600", [f"label {agent.name}"], retries=1
    )
    script = int(until(lambda: log_of(server, number), "the script's first line"))
    agent.stop(signal.SIGKILL)
    until(lambda: server.host(agent.name)["link"] == "lost", "the host to be lost")
    until(lambda: server.job(number)["attempts"][0]["state"] == "lost", "the lease to end")
    until(lambda: "is lost" in server.job(number)["reason"], "the reason that the round gives")
    agent.start()
    job = ended(server, number)
    assert [(one["number"], one["state"]) for one in job["attempts"]] == [(1, "lost"), (2, "passed")]
    until(lambda: is_gone(script), "the script to be gone")
    assert "Ended the script of attempt" in agent.log()


@pytest.mark.parametrize("number", [signal.SIGTERM, signal.SIGKILL])
def test_a_job_outlives_a_restart_of_the_server(tmp_path, number):
    """With a grace that is longer than the agent's back-off can get while the server starts, as the default is."""
    (tmp_path / "server").mkdir()
    server = RealServer(tmp_path / "server", grace=30)
    agent = RealAgent(server, tmp_path / "agent", "knot-01")
    agent.come_in("--labels", agent.name)
    try:
        outlives(server, agent, tmp_path, number)
    finally:
        agent.stop()
        server.stop()


def outlives(server, agent, tmp_path, number):
    go = tmp_path / "go"
    job = server.submit(f"echo one; until [ -e {go} ]; do sleep 0.05; done; echo two", [f"label {agent.name}"])
    until(lambda: log_of(server, job), "the script's first line")
    server.stop(number)
    go.touch()
    server.start()
    done = ended(server, job)
    assert (done["state"], len(done["attempts"])) == ("passed", 1)
    assert log_of(server, job) == b"one\ntwo\n"
    until(lambda: server.host(agent.name)["link"] == "connected", "the agent to be back")


def test_a_hundred_megabytes_are_cut_and_rubbish_is_kept_as_it_is(server, agent):
    flood = server.submit("head -c 100000000 /dev/zero | tr '\\0' x; echo; echo the end", [f"label {agent.name}"])
    rubbish = server.submit(r"printf '<b>\000\377\033[31m'; exit 7", [f"label {agent.name}"])
    assert ended(server, flood)["state"] == "passed"
    text = log_of(server, flood)
    assert len(text) < 36 * 1024 * 1024
    assert b"bytes are left out here" in text
    assert text.endswith(b"the end\n")
    job = ended(server, rubbish)
    assert (job["state"], job["attempts"][0]["exit_code"]) == ("failed", 7)
    assert log_of(server, rubbish) == b"<b>\x00\xff\x1b[31m"


def test_more_slots_reach_a_connected_agent_at_once(server, agent, tmp_path):
    go = tmp_path / "go"
    script = f"until [ -e {go} ]; do sleep 0.05; done"
    jobs = [server.submit(script, [f"label {agent.name}"]) for _ in range(2)]
    until(lambda: "busy" in server.job(jobs[1])["reason"], "the second job to wait")
    server.api.patch(f"/api/v1/hosts/{agent.name}/", {"slots": 2})
    until(lambda: server.job(jobs[1])["state"] == "running", "the second job to run beside the first")
    go.touch()
    assert [ended(server, job)["state"] for job in jobs] == ["passed", "passed"]
    assert len(server.job(jobs[1])["attempts"]) == 1


def test_cancelling_ends_the_script(server, agent):
    number = server.submit("echo $$; sleep 600", [f"label {agent.name}"])
    script = int(until(lambda: log_of(server, number), "the script's first line"))
    server.api.post(f"/api/v1/jobs/{number}/cancel/")
    assert ended(server, number)["state"] == "cancelled"
    until(lambda: is_gone(script), "the script to be gone")


def test_a_wrong_pass_and_a_missing_one_and_no_server(server, tmp_path):
    agent = RealAgent(server, tmp_path / "agent", "dunlin-09")
    refused = agent.join("paddock-pass-wrong")
    assert (refused.returncode, "no such entry pass" in refused.stderr) == (3, True)
    assert not (agent.home / "identity.json").exists()
    agent.start()
    assert agent.stop(0) == 5
    assert "has not joined a server yet" in agent.log()
    no_server = agent.join("x", "--server", f"http://127.0.0.1:{free_port()}")
    assert (no_server.returncode, "No server answers" in no_server.stderr) == (4, True)
    missing = agent.join("")
    assert (missing.returncode, "needs --pass" in missing.stderr) == (2, True)


def test_a_host_that_was_turned_away_stops_and_says_why(server, tmp_path):
    agent = RealAgent(server, tmp_path / "agent", "dunlin-08")
    agent.join(server.make_pass())
    agent.start()
    until(lambda: server.host(agent.name)["link"] == "connected", "the agent to connect")
    server.api.post(f"/api/v1/hosts/{agent.name}/turn-away/", {"reason": "not one of ours"})
    assert agent.stop(0) == 6
    assert "not one of ours" in agent.log()
    agent.start()
    assert agent.stop(0) == 6
    assert "does not know this agent's key" in agent.log()


def test_a_port_that_is_taken_is_said(server, tmp_path):
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        own = {**server.environment, "PADDOCK_DATA": str(tmp_path)}
        command = [BIN / "paddock", "serve", "--port", str(port)]
        done = subprocess.run(command, env=own, capture_output=True, text=True, check=False)
    assert done.returncode == 1
    assert f"Port {port} of 127.0.0.1 is taken" in done.stderr
    assert "make demo PORT=" in done.stderr


def test_rubbish_on_the_link_is_cut_off_and_hurts_nobody(server, agent):
    address = server.url.replace("http", "ws") + "/agent/v1/link"
    with pytest.raises(InvalidStatus) as denied:
        client.connect(address, additional_headers={"Authorization": "Bearer paddock-key-wrong"})
    assert denied.value.response.status_code == 401
    agent.stop()
    key = json.loads((agent.home / "identity.json").read_text())["key"]
    for rubbish in ("{", '{"type":"heartbeat"}', '{"type":"hello","protocol":99,"facts":{"os":"linux"},"attempts":[]}'):
        with client.connect(address, additional_headers={"Authorization": f"Bearer {key}"}) as socket_:
            socket_.send(rubbish)
            with pytest.raises(ConnectionClosed) as closed:
                socket_.recv(timeout=30)
            assert closed.value.rcvd.code == 4002
    assert server.api.is_up()
