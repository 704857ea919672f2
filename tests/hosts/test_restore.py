"""A database that is restored under agents at work: what they still hold is never taken for what runs now."""

from __future__ import annotations

import pytest
from processes import RealAgent, RealServer
from waiting import until


@pytest.fixture
def data(tmp_path):
    return tmp_path / "server"


@pytest.fixture
def server(data):
    real = RealServer(data, grace=20, lease=60)
    yield real
    real.stop()


@pytest.fixture
def agent(server, tmp_path):
    one = RealAgent(server, tmp_path / "agent", "knot-01")
    one.come_in()
    yield one
    one.stop()


def restore(server, data, backup):
    """Restores the backup, as docs/backup.md says."""
    server.stop()
    done = server.command("restore", str(backup), "--replace", "--without-keys")
    assert done.returncode == 0, done.stderr
    server.start()


def backed_up(server, to):
    """A backup, made while the server serves."""
    done = server.command("backup", str(to), "--without-keys")
    assert done.returncode == 0, done.stderr
    return done.stdout.strip()


def log_of(server, number):
    return server.api.get_bytes(f"/api/v1/jobs/{number}/log/").decode()


def test_jobs_after_a_restore_are_never_proved_by_runs_of_before_it(server, data, agent, tmp_path):
    first = server.submit("echo before the backup")
    until(lambda: server.job(first)["state"] == "passed", "the first job")
    held = server.submit("sleep 600", name="across")
    until(lambda: server.job(held)["state"] == "running", "the job that runs across the backup")
    backup = backed_up(server, tmp_path / "backups")
    server.api.patch(f"/api/v1/hosts/{agent.name}/", {"slots": 3, "accept_slots": True})
    lost = [server.submit(f"echo old {n}; {'sleep 600' if n else 'true'}", name="old") for n in range(2)]
    until(lambda: server.job(lost[0])["state"] == "passed", "a job that the backup does not have")
    until(lambda: server.job(lost[1])["state"] == "running", "one that runs over the restore")
    restore(server, data, backup)
    until(lambda: server.host(agent.name)["link"] == "connected", "the agent to be back")
    until(lambda: server.job(held)["state"] == "lost", "what ran across the restore to be given up")
    server.api.patch(f"/api/v1/hosts/{agent.name}/", {"slots": 3, "accept_slots": True})
    fresh = server.submit("echo after the restore; exit 3", name="new")
    assert fresh > max(lost), "a number was used again"
    until(lambda: server.job(fresh)["state"] == "failed", "the new job to end as its own script does")
    assert log_of(server, fresh) == "after the restore\n"
    for number in lost:
        with pytest.raises(Exception, match="404"):
            server.api.get(f"/api/v1/jobs/{number}/")
    notes = (agent.home / "abandoned.txt").read_text()
    assert f" {held}-1-" in notes
    assert f" {lost[1]}-1-" in notes
    again = server.api.get(f"/api/v1/jobs/{first}/attempts/1/proof/")
    assert again["predicate"]["buildDefinition"]["externalParameters"]["steps"][0]["script"] == "echo before the backup"


def test_a_second_server_on_the_same_data_says_why_it_does_not_start(server):
    done = server.command("serve", "--port", "0")
    assert done.returncode == 1
    assert "already uses the data folder" in done.stderr
    assert server.api.is_up()


def test_the_folder_is_free_again_after_a_kill(server):
    server.stop(9)
    server.start()
    assert server.api.is_up()
