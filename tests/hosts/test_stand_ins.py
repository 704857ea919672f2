"""Stand-in machines come in by a real server's sheets, through their terminals: what works, and what is refused."""

from __future__ import annotations

import asyncio
import contextlib
from pathlib import Path

import pytest
from processes import RealServer
from waiting import soon

from paddock_agent.environment import differences
from paddock_agent.errors import AgentError
from paddock_standins.description import all_hosts
from paddock_standins.machine import Machine
from paddock_standins.script import ScriptFailed, parsed, run_command
from paddock_standins.terminal import run_line

WHEELS = Path(__file__).parents[2] / ".make" / "wheels"
HOSTS = {one.name: one for one in all_hosts()}


@pytest.fixture(scope="module")
def server(tmp_path_factory):
    if not WHEELS.is_dir():
        pytest.skip("the packages for hosts are not gathered: make wheels")
    real = RealServer(tmp_path_factory.mktemp("server"), grace=1)
    yield real
    real.stop()


@contextlib.asynccontextmanager
async def machine(name, tmp_path):
    one = Machine(HOSTS[name], tmp_path / name)
    try:
        yield one
    finally:
        await one.stop()


def sheet_for(server, machine_name, **more):
    family = HOSTS[machine_name].family
    arch = "arm64" if family == "macos" else "x64"
    return server.make_sheet("orchard", system=family, arch=arch, **more)


async def typed(one, line):
    printed = []
    await run_line(one, line, printed.append)
    return "\n".join(printed)


async def step(server, made, name, state):
    await soon(lambda: server.steps(made["sheet"])[name]["state"] == state, lambda: str(server.steps(made["sheet"])))


@pytest.mark.parametrize(
    ("name", "host"), [("russet-02", "pippin-1"), ("dinghy-02", "wherry-1"), ("plover-01", "gull-1")]
)
async def test_a_bare_machine_comes_in_and_proves_itself(server, tmp_path, name, host):
    made = sheet_for(server, name, name=host, labels=["mobile"], slots=2)
    async with machine(name, tmp_path) as one:
        printed = await typed(one, made["command"]["run"])
        assert "The service runs as" in printed
        assert "missing" not in printed
        await step(server, made, "survey", "done")
        server.api.post(f"/api/v1/hosts/{host}/admit/")
        await step(server, made, "prove", "done")
        assert "runs as" in await typed(one, "paddock-agent service status")
        await typed(one, "paddock-agent service stop")
        await soon(lambda: server.host(host)["link"] == "stopped", "the goodbye")
        await typed(one, "paddock-agent service start")
        await soon(lambda: server.host(host)["link"] == "connected", "it to come back")
    shown = server.host(host)
    assert (shown["labels"], shown["slots"]) == (["mobile"], 2)
    assert shown["facts"]["kept_by"].removesuffix(".service").split("orchard")[-1].strip(".-") == host
    assert shown["facts"]["user"] == ("paddock" if name != "dinghy-02" else f"NT SERVICE\\{shown['facts']['kept_by']}")


@pytest.mark.parametrize("name", ["plover-01", "russet-02", "dinghy-02"])
async def test_a_host_is_repaired_with_its_key_once_its_job_has_ended(server, tmp_path, name):
    host = f"{name}-again"
    made = sheet_for(server, name, name=host)
    async with machine(name, tmp_path) as one:
        await typed(one, made["command"]["run"])
        server.api.post(f"/api/v1/hosts/{host}/admit/")
        await step(server, made, "prove", "done")
        joined = server.host(host)["joined_at"]
        number = server.submit("sleep 600", [f"host {host}"])
        await soon(lambda: server.job(number)["state"] == "running", "the job to run")
        again = sheet_for(server, name, name=host, repairs=True)
        printed = []
        repairing = asyncio.create_task(run_line(one, again["command"]["run"], printed.append))
        waits = f"This agent runs job {number}. Waiting until it ends"
        await soon(lambda: any(waits in line for line in printed), "it to wait")
        assert server.job(number)["state"] == "running"
        server.api.post(f"/api/v1/jobs/{number}/cancel/")
        await repairing
        await step(server, again, "prove", "done")
    assert server.host(host)["joined_at"] == joined


async def test_one_that_starts_at_log_in(server, tmp_path):
    made = sheet_for(server, "bramley-02", name="pippin-2", supervisor="log-in", account="build")
    async with machine("bramley-02", tmp_path) as one:
        assert "starts at log-in" in await typed(one, made["command"]["run"])
        await step(server, made, "connect", "done")
        one.system.launchd.logged_in.clear()
        await typed(one, "paddock-agent service stop")
        assert "no session of that account is open" in await typed(one, "paddock-agent service status")


async def test_a_failure_and_its_remedy_followed_to_the_end(server, tmp_path):
    made = sheet_for(server, "ketch-02", name="wherry-2", account="tide")
    async with machine("ketch-02", tmp_path) as one:
        printed = await typed(one, made["command"]["run"])
        assert "there is no account tide" in printed.lower()
        shown = server.api.get(f"/api/v1/bring-ups/{made['sheet']['id']}/")
        (account,) = [check for check in shown["checks"] if check["mark"] == "missing"]
        await typed(one, account["remedy"][0])
        assert "wants the password" in await typed(one, made["command"]["run"])
        failed = server.steps(made["sheet"])["service"]
        assert failed["state"] == "failed"
        one.system.control.accounts["tide"].password = ""
        again = await typed(one, failed["remedy"][0])
        assert "wants the password" in again, "an account without a password may not run services"
        one.description.accounts["tide"] = one.system.control.accounts["tide"].password = "neap"
        assert "The service runs as tide" in await typed(one, failed["remedy"][0])
        await step(server, made, "connect", "done")


@pytest.mark.parametrize("answer", ["help", "rm -rf /", "PADDOCK_PASS=x", "launchctl frobnicate"])
async def test_a_terminal_says_what_it_takes(tmp_path, answer):
    async with machine("russet-02", tmp_path) as one:
        assert await typed(one, answer)
        assert await typed(one, "paddock-agent service status")


async def test_a_command_for_another_shell_or_of_another_script_is_refused(server, tmp_path):
    made = sheet_for(server, "dinghy-02")
    wrong = made["command"]["run"].replace(made["command"]["sha256"].upper(), "0" * 64)
    async with machine("russet-02", tmp_path) as mac, machine("dinghy-02", tmp_path) as pc:
        with pytest.raises(ScriptFailed, match="does not run the script"):
            await run_command(mac, made["command"]["run"], lambda _: None)
        with pytest.raises(ScriptFailed, match="FAILED"):
            await run_command(pc, wrong, lambda _: None)
    with pytest.raises(ScriptFailed, match="not the command of a bring-up sheet"):
        parsed("export PADDOCK_PASS=x; curl http://paddock/other.sh")


async def test_a_stand_in_that_is_told_to_start_afresh_sees_what_was_installed_since(server, tmp_path):
    made = sheet_for(server, "dinghy-02", name="wherry-3")
    async with machine("dinghy-02", tmp_path) as one:
        await run_command(one, made["command"]["run"], lambda _: None)
        await step(server, made, "survey", "done")
        one.system.description.fresh["Path"] = one.system.description.environment["Path"] + r";D:\new\bin"
        server.api.post("/api/v1/hosts/wherry-3/survey/")
        await soon(lambda: server.host("wherry-3")["facts"]["differs"], "the difference to be reported")
        (one_,) = server.host("wherry-3")["facts"]["differs"]
        assert (one_["name"], one_["fresh"]) == ("PATH", r"D:\new\bin")
        server.api.post("/api/v1/hosts/wherry-3/restart/")
        await soon(lambda: one.system.environment().get("PATH", "").endswith(r";D:\new\bin"), "it to restart")
        await soon(lambda: not server.host("wherry-3")["facts"]["differs"], "the difference to be gone")
        assert not differences(one.system, await one.system.fresh_environment())
        one.system.description.fresh.clear()


async def test_a_machine_that_was_turned_away_stops(server, tmp_path):
    made = sheet_for(server, "bramley-02", name="pippin-4")
    async with machine("bramley-02", tmp_path) as one:
        await run_command(one, made["command"]["run"], lambda _: None)
        await step(server, made, "connect", "done")
        server.api.post("/api/v1/hosts/pippin-4/turn-away/")
        await soon(lambda: one.system.launchd.jobs[one.system.running_service].state != "running", "its agent to end")
        assert "turned away or retired" in await typed(one, "paddock-agent service status")
        assert server.steps(made["sheet"])["admit"]["state"] == "failed"
    with pytest.raises(AgentError, match="no such entry pass"):
        await Machine(HOSTS["bramley-02"], tmp_path / "other").join(server.url, "paddock-pass-x")
