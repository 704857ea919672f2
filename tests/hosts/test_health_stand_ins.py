"""What goes wrong on stand-ins for Windows and macOS, and on one for Linux: the real agent and watch over simulated
service managers, a real server. Each trouble ends in its own finding, and what its remedy says closes it."""

from __future__ import annotations

import asyncio
import contextlib
from dataclasses import replace
from itertools import count

import pytest
from processes import RealServer
from waiting import soon

from paddock_standins import machine as machines
from paddock_standins.description import all_hosts
from paddock_standins.machine import Machine
from paddock_standins.terminal import run_line

HOSTS = {one.name: one for one in all_hosts()}
_numbers = count(1)
SYSTEMS = {"linux": "dunlin-01", "macos": "pippin-01", "windows": "skiff-01"}


@pytest.fixture(scope="module")
def server(tmp_path_factory):
    real = RealServer(tmp_path_factory.mktemp("server"), grace=1.5, watch=2)
    yield real
    real.stop()


class Yard:
    """One stand-in that has come in, and the server that it came to."""

    def __init__(self, server, one):
        self.server, self.one, self.name = server, one, one.description.name

    async def types(self, line):
        printed: list[str] = []
        await run_line(self.one, line, printed.append)
        return "\n".join(printed)

    async def finding(self, code, says=""):
        """The finding, once its sentence holds ``says``: evidence comes in one report after the other."""

        def seen():
            found = self.server.finding(code, self.name)
            return found if found and says in found["sentence"] else None

        return await soon(seen, f"the finding {code} that says {says!r}")

    async def closed(self, code):
        await soon(lambda: self.server.finding(code, self.name) is None, f"{code} to close")

    async def mend(self, finding, *more):
        for command in (*finding["remedy"]["commands"], *more):
            await self.types(command)
        await self.closed(finding["code"])

    async def connected(self):
        await soon(lambda: self.server.host(self.name)["link"] == "connected", "it to be connected")


@contextlib.asynccontextmanager
async def standing(server, tmp_path, name, monkeypatch, **changes):
    monkeypatch.setattr(machines, "WATCH_INTERVAL_SECONDS", 1.0)
    description = replace(HOSTS[name], name=f"{name}-{next(_numbers)}", **changes)
    one = Machine(description, tmp_path / "machine")
    passes = {description.paddock: await asyncio.to_thread(server.make_pass, description.paddock)}
    await one.boot(server.url, passes)
    yard = Yard(server, one)
    try:
        await soon(lambda: server.host(yard.name)["surveyed_at"], "the survey")
        server.api.post(f"/api/v1/hosts/{yard.name}/admit/", {"as_asked": True})
        await soon(lambda: server.host(yard.name)["watch"], "the watch to report")
        yield yard
    finally:
        await one.stop()
        server.api.post(f"/api/v1/hosts/{yard.name}/retire/", {"reason": "the test is over"})


@pytest.fixture(params=SYSTEMS)
async def yard(request, server, tmp_path, monkeypatch):
    async with standing(server, tmp_path, SYSTEMS[request.param], monkeypatch) as one:
        yield one


async def test_stopped(yard):
    await yard.types("stop agent")
    await yard.mend(await yard.finding("service-stopped"))
    await yard.connected()


async def test_disabled(yard):
    await yard.types("disable agent")
    one = await yard.finding("service-disabled")
    assert one["severity"] == "soon"
    await yard.mend(one)


async def test_its_account_is_gone(server, tmp_path, monkeypatch):
    for system, kept in (("linux", "build"), ("macos", "paddock")):
        folder = tmp_path / system
        folder.mkdir()
        async with standing(server, folder, SYSTEMS[system], monkeypatch) as yard:
            await yard.types("remove account")
            one = await yard.finding("account-cannot-log-on")
            assert kept in one["sentence"]
            await yard.mend(one)
            await yard.connected()


async def test_restarted_while_its_agent_was_started_by_hand(server, tmp_path, monkeypatch):
    for system, name in SYSTEMS.items():
        folder = tmp_path / system
        folder.mkdir()
        async with standing(server, folder, name, monkeypatch, supervisor="by hand") as yard:
            await yard.finding("started-by-hand")
            await yard.types("reboot")
            one = await yard.finding("gone-after-reboot", "The machine was restarted")
            if system == "linux":
                one["remedy"]["commands"] = ["paddock-agent service install --user build"]
            await yard.mend(one)
            await yard.connected()


async def test_powered_off(yard):
    await yard.types("power off")
    await yard.finding("machine-silent")
    await yard.types("power on")
    await yard.closed("machine-silent")
    await yard.connected()


async def test_its_clock_its_disk_and_its_memory(yard):
    for trouble in ("clock -400", "disk 300 MB", "memory 0.01"):
        await yard.types(trouble)
    found = [await yard.finding(code) for code in ("clock-off", "disk-full", "memory-pressure")]
    for mended in ("disk 90 GB", "memory 0.4", *found[0]["remedy"]["commands"]):
        await yard.types(mended)
    for one in found:
        await yard.closed(one["code"])


def stops_of(yard):
    week = yard.server.api.get(f"/api/v1/hosts/{yard.name}/week/")
    return sum(span["state"] == "stopped" for span in week["link"])


async def test_the_watch_starts_it_where_the_paddock_allows_it(yard):
    yard.server.api.patch("/api/v1/paddocks/annex/", {"watch_may_start": True})
    try:
        # The watch is quick: that it was stopped is looked for in its past, and not in what it is just now.
        before = stops_of(yard)
        await yard.types("stop agent")
        await soon(lambda: stops_of(yard) > before, "the goodbye")
        await yard.connected()
    finally:
        yard.server.api.patch("/api/v1/paddocks/annex/", {"watch_may_start": False})
