"""Upgrades on stand-ins for Windows and macOS, and on one for Linux: the real agent, watch and upgrade over simulated
service managers, a real server."""

from __future__ import annotations

import asyncio
import contextlib
from dataclasses import replace
from itertools import count

import pytest
from agent_versions import make_version, own_version, wheels_of
from processes import RealServer
from waiting import soon

from paddock_standins import agents
from paddock_standins import machine as machines
from paddock_standins.description import all_hosts
from paddock_standins.machine import Machine

HOSTS = {one.name: one for one in all_hosts()}
SYSTEMS = {"linux": "dunlin-01", "macos": "pippin-01", "windows": "skiff-01"}
NEW = "9.0.0"
_numbers = count(1)


@pytest.fixture(scope="module")
def server(tmp_path_factory):
    wheels = wheels_of(tmp_path_factory.mktemp("wheels"))
    make_version(wheels, NEW)
    real = RealServer(
        tmp_path_factory.mktemp("server"), grace=2, lease=60, watch=2, settings={"PADDOCK_WHEELS": str(wheels)}
    )
    yield real
    real.stop()


@contextlib.asynccontextmanager
async def standing(server, tmp_path, name, monkeypatch, **changes):
    monkeypatch.setattr(machines, "WATCH_INTERVAL_SECONDS", 1.0)
    monkeypatch.setattr(agents, "INSTALL_SECONDS", 0.2)
    description = replace(HOSTS[name], name=f"{name}-{next(_numbers)}", agent=own_version(), **changes)
    one = Machine(description, tmp_path / "machine")
    passes = {description.paddock: await asyncio.to_thread(server.make_pass, description.paddock)}
    await one.boot(server.url, passes)
    try:
        await soon(lambda: server.host(description.name)["surveyed_at"], "the survey")
        server.api.post(f"/api/v1/hosts/{description.name}/admit/", {"as_asked": True})
        await soon(lambda: (server.host(description.name)["watch"] or {}).get("running"), "the watch to report")
        yield one
    finally:
        await one.stop()
        server.api.post(f"/api/v1/hosts/{description.name}/retire/", {"reason": "the test is over"})


async def rolled(server, name, version=NEW):
    body = {"version": version, "hosts": [name], "proof_limit": 20}
    rollout = (await asyncio.to_thread(server.api.post, "/api/v1/rollouts/", body))["id"]

    def row():
        (found,) = server.api.get(f"/api/v1/rollouts/{rollout}/")["hosts"]
        return found

    await soon(lambda: row()["ended_at"], row)
    return row()


@pytest.mark.parametrize("system", SYSTEMS)
async def test_a_host_is_upgraded_through_its_own_service_manager_and_taken_back(server, tmp_path, monkeypatch, system):
    async with standing(server, tmp_path, SYSTEMS[system], monkeypatch) as one:
        name = one.description.name
        found = await rolled(server, name)
        assert (found["step"], found["detail"]) == ("proven", "")
        assert one.system.agents.version == NEW
        assert await soon(lambda: server.host(name)["facts"]["agent_version"] == NEW, "the version")
        await soon(lambda: server.host(name)["readiness"] == "free", lambda: server.host(name))
        assert (await rolled(server, name, own_version()))["step"] == "proven"
        assert one.system.agents.version == own_version()


@pytest.mark.parametrize("system", SYSTEMS)
async def test_a_version_that_does_not_start_there_goes_back(server, tmp_path, monkeypatch, system):
    async with standing(server, tmp_path, SYSTEMS[system], monkeypatch, other_agents_fail="start") as one:
        name = one.description.name
        found = await rolled(server, name)
        assert (found["step"], "does not start" in found["detail"]) == ("went back", True), found
        assert one.system.agents.version == own_version()
        await soon(lambda: server.host(name)["readiness"] == "free", lambda: server.host(name))
        assert await soon(lambda: server.finding("version-refused", name), "the finding")


async def test_a_version_that_cannot_be_installed_there_changes_nothing(server, tmp_path, monkeypatch):
    async with standing(server, tmp_path, SYSTEMS["macos"], monkeypatch, other_agents_fail="install") as one:
        found = await rolled(server, one.description.name)
        assert found["step"] == "went back"
        assert "No space left on device" in found["detail"]
        assert one.system.agents.names() == [f"agent-{own_version()}"]
