"""The link of real agents and a real server: a stop is seen at once, silence after the grace, and a flood by nobody
else."""

from __future__ import annotations

import asyncio
import json
import signal
import time

import psutil
import pytest
from processes import RealAgent, RealServer
from waiting import until
from websockets.asyncio.client import connect
from websockets.exceptions import ConnectionClosed

from paddock_agent import wire

SPOKEN = f"{wire.OLDEST} to {wire.VERSION}"
FACTS = wire.Facts(os="linux", os_version="12", arch="x64", cores=4, memory=2**34, agent_version="0.1.0")


@pytest.fixture(scope="module")
def server(tmp_path_factory):
    real = RealServer(tmp_path_factory.mktemp("server"), grace=3, watch=2)
    yield real
    real.stop()


@pytest.fixture(scope="module")
def agent(server, tmp_path_factory):
    one = RealAgent(server, tmp_path_factory.mktemp("agent"), "knot-01")
    one.come_in()
    yield one
    one.stop()


@pytest.fixture(autouse=True)
def connected(server, agent):
    until(lambda: server.host(agent.name)["link"] == "connected", "the agent to be connected")


@pytest.fixture
def key(server, tmp_path):
    """The key of a host that has joined and is let in, for an agent of the test's own."""
    other = RealAgent(server, tmp_path / "other", f"dunlin-{time.time_ns()}")
    assert other.join(server.make_pass()).returncode == 0
    server.api.post(f"/api/v1/hosts/{other.name}/admit/")
    return other.name, json.loads((tmp_path / "other" / "identity.json").read_text())["key"]


def talk(server, key):
    return connect(
        f"ws{server.url.removeprefix('http')}/agent/v1/link",
        additional_headers={"Authorization": f"Bearer {key}"},
        compression=None,
        ping_interval=None,
    )


async def hello(socket, protocol=wire.VERSION):
    await say(socket, wire.Hello(protocol=protocol, facts=FACTS, attempts=[]))
    return wire.from_server(await socket.recv())


async def say(socket, message):
    await socket.send(wire.encode(message).decode())


@pytest.mark.parametrize("protocol", range(wire.OLDEST, wire.VERSION + 1))
async def test_agents_of_the_two_versions_before_are_welcome(server, key, protocol):
    async with talk(server, key[1]) as socket:
        assert isinstance(await hello(socket, protocol), wire.Welcome)
        await say(socket, wire.Goodbye())


@pytest.mark.parametrize(
    ("protocol", "says"),
    [
        (
            wire.OLDEST - 1,
            f"too old (link {wire.OLDEST - 1}, not {SPOKEN}): run the server's install script there.",
        ),
        (
            wire.VERSION + 1,
            f"newer than the server (link {wire.VERSION + 1}, not {SPOKEN}): upgrade the server.",
        ),
        (0, "too old"),
        (2**40, "newer than the server"),
    ],
)
async def test_an_agent_of_another_version_is_told_what_to_do(server, key, protocol, says):
    async with talk(server, key[1]) as socket:
        with pytest.raises(ConnectionClosed) as closed:
            await hello(socket, protocol)
    assert (closed.value.rcvd.code, says in closed.value.rcvd.reason) == (4002, True), closed.value.rcvd
    assert server.host(key[0])["link"] != "connected"


def changes(server, name):
    lines = server.api.get(f"/api/v1/logbook/?thing={name}")["results"]
    return [
        (one["verb"], one["details"].get("cause", "")) for one in reversed(lines) if one["verb"].startswith("noted")
    ]


def test_a_goodbye_a_kill_and_silence_are_told_apart(server, agent):
    assert agent.stop() == 0
    until(lambda: server.host(agent.name)["link"] == "stopped", "the goodbye to be seen")
    agent.start()
    until(lambda: server.host(agent.name)["link"] == "connected", "it to be back")
    agent.stop(signal.SIGKILL)
    until(lambda: server.host(agent.name)["link"] == "lost", "the closed socket to be seen")
    agent.start()
    until(lambda: server.host(agent.name)["link"] == "connected", "it to be back")
    process = psutil.Process(agent._process.pid)
    process.suspend()
    until(lambda: server.host(agent.name)["link"] == "lost", "the silence to be seen")
    process.resume()
    until(lambda: server.host(agent.name)["link"] == "connected", "it to be back")
    states = [verb.removeprefix("noted as ") for verb, _ in changes(server, agent.name)]
    assert states[-6:] == ["stopped", "connected", "lost", "connected", "lost", "connected"]
    causes = [cause for _, cause in changes(server, agent.name)]
    assert "The agent was stopped" in causes[-6]
    assert "closed without a goodbye" in causes[-4]
    assert "longer than the grace" in causes[-2]


async def test_the_grace_is_that_of_the_paddock_and_the_heartbeat_keeps_to_it(server, key):
    name, secret = key
    server.api.patch("/api/v1/paddocks/shoreline/", {"grace": 30})
    try:
        async with talk(server, secret) as socket:
            welcome = await hello(socket)
            assert welcome.heartbeat == 10
            server.api.patch("/api/v1/paddocks/shoreline/", {"grace": 3})
            assert wire.from_server(await socket.recv()) == wire.HeartbeatEvery(seconds=1)
            until(lambda: server.host(name)["link"] == "lost", "the silence to be seen")
    finally:
        server.api.patch("/api/v1/paddocks/shoreline/", {"grace": 0})


async def test_an_agent_hears_that_its_attempt_is_underway(server, key):
    name, secret = key
    async with talk(server, secret) as socket:
        await hello(socket)
        job = server.submit("true", [f"host {name}"])
        while not isinstance(offer := wire.from_server(await socket.recv()), wire.Offer):
            pass
        assert offer.attempt.startswith(f"{job}-1-")
        await say(socket, wire.AttemptStarted(seq=1, attempt=offer.attempt, account="build", folder="/w", at=1.0))
        heard = []
        while not isinstance(message := wire.from_server(await socket.recv()), wire.Ack):
            heard.append(type(message))
        assert heard == [wire.Underway]
        assert server.job(job)["state"] == "running"
        server.api.post(f"/api/v1/jobs/{job}/cancel/")
        await say(socket, wire.AttemptEnded(seq=2, attempt=offer.attempt, outcome="cancelled"))
        await say(socket, wire.Goodbye())


async def test_a_flood_of_heartbeats_is_slowed_down_and_found_and_hurts_nobody(server, agent, key):
    name, secret = key
    beat = wire.encode(wire.Heartbeat(at=time.time(), load=1.0)).decode()
    sent = 0

    async def flood():
        nonlocal sent
        async with talk(server, secret) as socket:
            await hello(socket)
            while True:
                await socket.send(beat)
                sent += 1
                await asyncio.sleep(0)

    flooding = asyncio.create_task(flood())
    one = await asyncio.to_thread(until, lambda: server.finding("misbehaving", name), "the flood to be found")
    assert one["about"] == "too fast"
    number = await asyncio.to_thread(server.submit, "echo here", ["host knot-01"])
    await asyncio.to_thread(until, lambda: server.job(number)["state"] == "passed", "a job elsewhere to pass")
    assert server.host(agent.name)["link"] == "connected"
    flooding.cancel()
    await asyncio.gather(flooding, return_exceptions=True)
    # What is not read waits in the sockets' buffers: thousands went out at once, and then hardly any.
    taken = server.api.get(f"/api/v1/hosts/{name}/readings/?reading=load&hours=1")["rows"]
    assert len(taken) < sent / 10


@pytest.mark.parametrize(
    ("data", "why"),
    [
        ('{"type":"heartbeat","load":NaN}', "not a message"),
        ('{"type":"heartbeat","load":"high"}', "not a message"),
        ("x" * 100, "not a message"),
        ('{"type":"hello","protocol":1,"facts":{"os":"linux"},"attempts":[]}', "second hello"),
    ],
)
async def test_nonsense_ends_the_connection_with_its_reason_and_is_found(server, key, data, why):
    name, secret = key
    async with talk(server, secret) as socket:
        await hello(socket)
        await socket.send(data)
        with pytest.raises(ConnectionClosed) as closed:
            async with asyncio.timeout(20):
                await socket.recv()
    assert why in closed.value.rcvd.reason
    found = await asyncio.to_thread(until, lambda: server.finding("misbehaving", name), "it to be found")
    assert why in found["evidence"][0]["text"]


async def test_readings_that_cannot_be_cut_nobody_off_and_are_found(server, key):
    name, secret = key
    async with talk(server, secret) as socket:
        await hello(socket)
        invalid = wire.Heartbeat(at=time.time() + 1e12, load=-4.0, memory_free=1e300, disk_free=5e10)
        await socket.send(wire.encode(invalid).decode())
        found = await asyncio.to_thread(until, lambda: server.finding("misbehaving", name), "it to be found")
        assert found["about"] == "readings"
        assert "load = -4.0" in found["evidence"][0]["text"]
        await socket.send(wire.encode(wire.Heartbeat(at=time.time(), load=1.0)).decode())
        assert server.host(name)["link"] == "connected"
