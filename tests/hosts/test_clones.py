"""Two machines with one key: the one that answers keeps the link and its jobs, and a finding names the other."""

from __future__ import annotations

import asyncio
import contextlib
import json
import sqlite3
import time

import pytest
from processes import RealAgent, RealServer
from waiting import soon, until
from websockets.asyncio.client import connect
from websockets.exceptions import ConnectionClosed

from paddock_agent import wire

FACTS = {"os": "linux", "os_version": "12", "arch": "x64", "cores": 4, "memory": 2**34, "machine": "m1"}


@pytest.fixture(scope="module")
def data(tmp_path_factory):
    return tmp_path_factory.mktemp("server")


@pytest.fixture(scope="module")
def server(data):
    real = RealServer(data, grace=6, watch=2)
    yield real
    real.stop()


@pytest.fixture
def key(server, tmp_path):
    other = RealAgent(server, tmp_path / "other", f"dunlin-{time.time_ns()}")
    assert other.join(server.make_pass()).returncode == 0
    server.api.post(f"/api/v1/hosts/{other.name}/admit/")
    identity = json.loads((tmp_path / "other" / "identity.json").read_text())
    return other.name, identity["key"]


class Machine:
    """An agent by hand, on one start of one machine. ``answers``: what the server asks, it answers."""

    def __init__(self, server, secret, boot, *, answers=True, protocol=wire.VERSION, machine=""):
        self._server, self._secret, self._protocol = server, secret, protocol
        self._facts = wire.Facts(**{**FACTS, "machine": machine}, boot=boot)
        self._answers = answers
        self.run = f"run of {boot} {time.time_ns()}"
        self.heard: list[wire.FromServer] = []
        self.closed_with: int | None = None

    async def __aenter__(self):
        self._socket = await connect(
            f"ws{self._server.url.removeprefix('http')}/agent/v1/link",
            additional_headers={"Authorization": f"Bearer {self._secret}"},
            compression=None,
            ping_interval=None,
        )
        await self.say(wire.Hello(protocol=self._protocol, facts=self._facts, run=self.run, attempts=[]))
        self._working = [asyncio.create_task(self._read())]
        if self._answers:
            self._working.append(asyncio.create_task(self._beat()))
        return self

    async def __aexit__(self, *_):
        for task in self._working:
            task.cancel()
        await asyncio.gather(*self._working, return_exceptions=True)
        await self._socket.close()

    async def say(self, message):
        await self._socket.send(wire.encode(message).decode())

    async def _beat(self):
        """As an agent does, so that it is not silent past its grace."""
        while True:
            await asyncio.sleep(1)
            await self.say(wire.Heartbeat(at=time.time(), load=1.0))

    async def _read(self):
        try:
            while True:
                message = wire.from_server(await self._socket.recv())
                self.heard.append(message)
                if isinstance(message, wire.StillThere) and self._answers:
                    await self.say(wire.Heartbeat(at=time.time(), load=1.0))
        except ConnectionClosed as closed:
            self.closed_with = closed.rcvd.code if closed.rcvd else 0

    def has(self, kind):
        return any(isinstance(one, kind) for one in self.heard)


@pytest.fixture
def machine_of(server, data, key):
    """Makes machines of one host that say they are the machine that joined."""
    with contextlib.closing(sqlite3.connect(data / "paddock.sqlite3", timeout=30)) as database, database:
        database.execute("UPDATE hosts_host SET machine = 'm1' WHERE name = ?", (key[0],))
    return lambda boot, **more: Machine(server, key[1], boot, machine="m1", **more)


async def test_a_copied_disk_does_not_take_the_link_of_the_machine_that_answers(server, key, machine_of):
    async with machine_of("b1") as first:
        await soon(lambda: first.has(wire.Welcome), "the first to be welcome")
        number = await asyncio.to_thread(server.submit, "sleep 60", [f"host {key[0]}"])
        offer = await soon(lambda: next((one for one in first.heard if isinstance(one, wire.Offer)), None), "the offer")
        await first.say(wire.AttemptStarted(seq=1, attempt=offer.attempt, account="build", folder="/w", at=1.0))
        async with machine_of("b2") as copy:
            await soon(lambda: copy.closed_with is not None, "the copy to be refused")
            assert copy.closed_with == 4009
            assert not copy.has(wire.Welcome)
        found = await asyncio.to_thread(until, lambda: server.finding("clone", key[0]), "the finding")
        assert "another start of a machine" in found["evidence"][0]["text"]
        assert first.closed_with is None
        assert server.job(number)["state"] == "running"
        await first.say(wire.Goodbye())


@pytest.mark.parametrize("protocol", [wire.OLDEST, wire.VERSION])
async def test_a_machine_that_was_started_anew_comes_in_once_the_old_socket_does_not_answer(
    server, key, machine_of, protocol
):
    async with machine_of("b1", answers=False, protocol=protocol) as before:
        await soon(lambda: before.has(wire.Welcome), "the first to be welcome")
        async with machine_of("b2") as after:
            await soon(lambda: after.has(wire.Welcome), "the machine to come in again")
            assert server.finding("clone", key[0]) is None
            await after.say(wire.Goodbye())


async def test_machines_that_take_turns_are_found(server, key, machine_of):
    for boot in ("b1", "b2", "b1"):
        async with machine_of(boot) as one:
            await soon(lambda one=one: one.has(wire.Welcome), f"{boot} to be welcome")
            await one.say(wire.Goodbye())
    found = await asyncio.to_thread(until, lambda: server.finding("clone", key[0]), "the finding")
    assert "take turns" in found["evidence"][0]["text"]


async def test_a_link_that_the_database_has_wrong_is_set_right_by_what_is_heard(server, data, key, machine_of):
    async with machine_of("b1") as one:
        await soon(lambda: one.has(wire.Welcome), "the welcome")
        with contextlib.closing(sqlite3.connect(data / "paddock.sqlite3", timeout=30)) as database, database:
            database.execute("UPDATE hosts_host SET link = 'lost' WHERE name = ?", (key[0],))
        assert server.host(key[0])["link"] == "lost"
        await asyncio.to_thread(until, lambda: server.host(key[0])["link"] == "connected", "the link to be set right")
        await one.say(wire.Goodbye())
