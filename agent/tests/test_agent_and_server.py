"""The agent against a server of the test's own: what it says, when it says it again, and when it stops."""

import asyncio
import contextlib
from typing import ClassVar

import pytest
from offers import script_offer
from waiting import soon
from websockets.asyncio.server import serve

from paddock_agent import wire
from paddock_agent.agent import Agent
from paddock_agent.errors import AgentError, Dismissed
from paddock_agent.identity import Identity
from paddock_agent.spool.sending import LOG_IN_FLIGHT
from paddock_agent.system.real import RealSystem

WELCOME = wire.Welcome(host="avocet-01", admitted=True, slots=2, heartbeat=0.05)


class Quick(RealSystem):
    """This machine, without its tools: a survey takes no time."""

    fresh: ClassVar = {}

    def executables(self, pattern):
        return []

    def look(self, pattern):
        return []

    async def fresh_environment(self):
        return self.fresh


class Listener:
    """A server that welcomes, writes down, and acknowledges while ``acknowledges`` is true."""

    def __init__(self):
        self.heard: list[wire.FromAgent] = []
        self.hellos: list[wire.Hello] = []
        self.keys: list[str] = []
        self.acknowledges = self.has_for_running = True
        self.takes_logs_of: set[str] | None = None
        self.answer: wire.FromServer = WELCOME
        self.socket = None

    async def handle(self, socket):
        self.keys.append(socket.request.headers["Authorization"])
        self.hellos.append(wire.from_agent(await socket.recv()))
        await socket.send(wire.encode(self.answer).decode())
        self.socket = socket
        async for data in socket:
            if isinstance(data, bytes):
                await self.hear_log(wire.read_log_frame(data))
                continue
            message = wire.from_agent(data)
            self.heard.append(message)
            if isinstance(message, wire.AttemptStarted) and self.has_for_running:
                await self.say(wire.Underway(attempt=message.attempt))
            if message.seq and self.acknowledges:
                await self.say(wire.Ack(seq=message.seq))

    async def hear_log(self, frame):
        self.heard += frame.pieces
        last = frame.pieces[-1]
        if self.acknowledges and (self.takes_logs_of is None or frame.attempt in self.takes_logs_of):
            await self.say(wire.LogAck(attempt=frame.attempt, size=last.offset + len(last.data)))

    async def say(self, message):
        await self.socket.send(wire.encode(message).decode())

    def bytes_heard(self):
        return sum(len(one.data) for one in self.all(wire.LogChunk))

    def all(self, kind):
        return [one for one in self.heard if isinstance(one, kind)]

    def offer(self, script, attempt="1-1"):
        return self.say(script_offer(script, attempt))


@contextlib.asynccontextmanager
async def running(tmp_path, listener):
    async with serve(listener.handle, "127.0.0.1", 0) as server:
        port = server.sockets[0].getsockname()[1]
        identity = Identity(f"http://127.0.0.1:{port}", "the-key", "avocet-01", "shoreline", str(tmp_path / "work"))
        agent = Agent(Quick(), identity, tmp_path / "home")
        task = asyncio.create_task(agent.run())
        try:
            yield agent, task
        finally:
            agent.stop()
            with contextlib.suppress(AgentError):
                await task


async def test_it_keeps_to_another_pace_when_it_is_told(tmp_path):
    listener = Listener()
    listener.answer = wire.Welcome(host="avocet-01", admitted=True, slots=2, heartbeat=3600)
    async with running(tmp_path, listener):
        await soon(lambda: listener.all(wire.Heartbeat), "the first heartbeat")
        first = listener.all(wire.Heartbeat)[0]
        assert first.uptime > 0
        assert first.memory_free > 0
    listener.answer = WELCOME
    async with running(tmp_path, listener):
        await soon(lambda: len(listener.all(wire.Heartbeat)) > 3, "a quick pace")
        await listener.say(wire.HeartbeatEvery(seconds=0.06))
        await soon(lambda: len(listener.all(wire.Heartbeat)) > 6, "the pace to go on")


async def test_it_says_hello_with_its_key_surveys_and_keeps_saying_that_it_is_there(tmp_path):
    listener = Listener()
    async with running(tmp_path, listener):
        await soon(lambda: listener.all(wire.SurveyReport) and len(listener.all(wire.Heartbeat)) >= 2)
    assert listener.keys == ["Bearer the-key"]
    assert (listener.hellos[0].protocol, listener.hellos[0].attempts) == (wire.VERSION, [])
    assert isinstance(listener.heard[-1], wire.Goodbye)


async def test_it_surveys_again_when_asked(tmp_path):
    listener = Listener()
    async with running(tmp_path, listener):
        await soon(lambda: listener.all(wire.SurveyReport))
        await listener.say(wire.SurveyNow())
        await soon(lambda: len(listener.all(wire.SurveyReport)) == 2)


async def test_an_environment_that_is_older_than_the_machines_is_told_after_the_survey(tmp_path, monkeypatch):
    monkeypatch.setattr(Quick, "fresh", {"PATH": "/opt/new/bin", "JAVA_HOME": "/opt/jdk-99"})
    listener = Listener()
    async with running(tmp_path, listener):
        await soon(lambda: len(listener.all(wire.SurveyReport)) == 2)
    first, second = listener.all(wire.SurveyReport)
    assert (first.facts.differs, second.installations) == ([], first.installations)
    assert wire.Difference("PATH", "", "/opt/new/bin") in second.facts.differs


async def test_asked_to_start_afresh_it_finishes_what_runs_and_takes_nothing_new(tmp_path):
    listener = Listener()
    async with running(tmp_path, listener) as (agent, task):
        await soon(lambda: listener.all(wire.SurveyReport))
        go_on = tmp_path / "go-on"
        await listener.offer(f"while [ ! -e {go_on} ]; do sleep 0.02; done; echo whole")
        await soon(lambda: listener.all(wire.AttemptStarted))
        await listener.say(wire.Restart())
        await listener.offer("true", "2-1")
        await soon(lambda: listener.all(wire.AttemptRefused))
        assert not task.done()
        go_on.touch()
        await asyncio.wait_for(task, 30)
    assert agent.restarts
    assert listener.all(wire.AttemptEnded)[0].exit_code == 0
    assert "about to restart" in listener.all(wire.AttemptRefused)[0].why
    assert isinstance(listener.heard[-1], wire.Goodbye)


async def test_what_was_not_acknowledged_is_told_again_after_a_reconnect_in_order(tmp_path):
    listener = Listener()
    async with running(tmp_path, listener):
        await soon(lambda: listener.all(wire.SurveyReport))
        listener.acknowledges = False
        await listener.offer("echo one; exit 4")
        await soon(lambda: listener.all(wire.AttemptEnded))
        listener.heard.clear()
        listener.acknowledges = True
        await listener.socket.close()
        await soon(lambda: listener.all(wire.AttemptEnded))
        assert listener.hellos[-1].attempts == ["1-1"], "its end is not reported yet"
        passing = wire.WorkFolders | wire.Heartbeat | wire.WorkTried | wire.WatchedServices
        kinds = [type(message) for message in listener.heard if not isinstance(message, passing)]
        # What comes before the log waits for nothing, what comes after it waits for it.
        assert kinds == [wire.AttemptStarted, wire.StepBegan, wire.LogChunk, wire.StepEnded, wire.AttemptEnded]
        assert listener.all(wire.AttemptEnded)[0].exit_code == 4


async def test_nothing_of_an_attempt_runs_before_the_server_has_it_for_running(tmp_path):
    listener = Listener()
    listener.has_for_running = listener.acknowledges = False
    async with running(tmp_path, listener):
        await soon(lambda: listener.all(wire.SurveyReport))
        await listener.offer(f"touch {tmp_path / 'given-up'}")
        await listener.offer("echo once", "2-1")
        await soon(lambda: len(listener.all(wire.AttemptStarted)) == 2)
        await listener.socket.close()
        await soon(lambda: len(listener.hellos) == 2)
        assert set(listener.hellos[-1].attempts) == {"1-1", "2-1"}, "they wait for a server that is away"
        await listener.say(wire.Abandon(attempt="1-1"))
        await listener.say(wire.Underway(attempt="1-1"))
        await soon(lambda: listener.all(wire.AttemptEnded))
        assert [one.outcome for one in listener.all(wire.StepEnded)] == ["skipped"]
        await listener.say(wire.Underway(attempt="2-1"))
        await soon(lambda: len(listener.all(wire.AttemptEnded)) == 2)
    assert not (tmp_path / "given-up").exists()
    assert [one.data for one in listener.all(wire.LogChunk)] == [b"once\n"]


async def test_no_more_is_in_flight_than_the_server_can_hold(tmp_path):
    listener = Listener()
    size = 4 * LOG_IN_FLIGHT
    async with running(tmp_path, listener):
        await soon(lambda: listener.all(wire.SurveyReport))
        listener.acknowledges = False
        await listener.offer(f"head -c {size} /dev/zero")
        await soon(lambda: listener.bytes_heard() >= LOG_IN_FLIGHT)
        beats = len(listener.all(wire.Heartbeat))
        await soon(lambda: len(listener.all(wire.Heartbeat)) > beats + 2, "it goes on sending heartbeats")
        assert listener.bytes_heard() < 2 * LOG_IN_FLIGHT
        listener.acknowledges = True
        await listener.say(wire.LogAck(attempt="1-1", size=listener.bytes_heard()))
        await soon(lambda: listener.all(wire.AttemptEnded))
    assert listener.bytes_heard() == size


async def test_one_attempt_does_not_wait_for_what_another_printed(tmp_path):
    listener = Listener()
    async with running(tmp_path, listener):
        await soon(lambda: listener.all(wire.SurveyReport))
        listener.takes_logs_of = {"2-1"}
        await listener.offer(f"head -c {3 * LOG_IN_FLIGHT} /dev/zero")
        await soon(lambda: listener.bytes_heard() >= LOG_IN_FLIGHT)
        await listener.offer("exit 3", "2-1")
        await soon(lambda: listener.all(wire.AttemptEnded))
        assert [one.attempt for one in listener.all(wire.AttemptEnded)] == ["2-1"]
        listener.takes_logs_of = {"1-1", "2-1"}
        await listener.say(wire.LogAck(attempt="1-1", size=listener.bytes_heard()))
        await soon(lambda: len(listener.all(wire.AttemptEnded)) == 2)


@pytest.mark.parametrize("order", [wire.Cancel(attempt="1-1"), wire.Abandon(attempt="1-1")])
async def test_it_stops_what_the_server_gave_up_on_or_cancelled(tmp_path, order):
    listener = Listener()
    async with running(tmp_path, listener):
        await soon(lambda: listener.socket)
        await listener.offer("echo up; sleep 600")
        await soon(lambda: listener.all(wire.LogChunk))
        await listener.say(order)
        await soon(lambda: listener.all(wire.AttemptEnded))
    assert listener.all(wire.AttemptEnded)[0].outcome == "cancelled"


async def test_a_stopped_agent_ends_its_scripts_and_tells_before_it_says_goodbye(tmp_path):
    listener = Listener()
    async with running(tmp_path, listener) as (agent, task):
        await soon(lambda: listener.socket)
        await listener.offer("echo up; sleep 600")
        await soon(lambda: listener.all(wire.LogChunk))
        agent.stop()
        await task
    kinds = [type(one) for one in listener.heard if not isinstance(one, wire.Heartbeat)]
    assert kinds[-2:] == [wire.AttemptEnded, wire.Goodbye]
    assert listener.all(wire.AttemptEnded)[0].outcome == "agent stopped"


async def test_an_agent_that_is_stopped_before_it_was_welcomed_says_goodbye_as_well(tmp_path):
    listener = Listener()
    heard = []

    async def never_welcome(socket):
        listener.hellos.append(wire.from_agent(await socket.recv()))
        async for data in socket:
            heard.append(type(wire.from_agent(data)))

    listener.handle = never_welcome
    async with running(tmp_path, listener) as (agent, task):
        await soon(lambda: listener.hellos)
        agent.stop()
        await task
    assert heard[-1] is wire.Goodbye


async def test_slots_are_those_that_the_server_says(tmp_path):
    listener = Listener()
    async with running(tmp_path, listener):
        await soon(lambda: listener.socket)
        for number in (1, 2, 3):
            await listener.offer("sleep 600", f"{number}-1")
        await soon(lambda: listener.all(wire.AttemptRefused))
        assert listener.all(wire.AttemptRefused)[0].attempt == "3-1"
        await listener.say(wire.Slots(slots=3))
        await listener.offer("sleep 600", "4-1")
        await soon(lambda: {one.attempt for one in listener.all(wire.AttemptStarted)} == {"1-1", "2-1", "4-1"})


@pytest.mark.parametrize("when", ["at hello", "later"])
async def test_a_dismissed_agent_stops_and_says_why(tmp_path, when):
    listener = Listener()
    if when == "at hello":
        listener.answer = wire.Dismiss(why="turned away: not one of ours")
    async with running(tmp_path, listener) as (_, task):
        if when == "later":
            await soon(lambda: listener.socket)
            await listener.say(wire.Dismiss(why="turned away: not one of ours"))
        with pytest.raises(Dismissed, match="not one of ours"):
            await task


@pytest.mark.parametrize("rubbish", ["{", '{"type":"unheard of"}', '{"type":"ack","seq":-1}', "x" * 2_000_000])
async def test_a_server_that_talks_rubbish_is_left_and_tried_again(tmp_path, rubbish):
    listener = Listener()
    async with running(tmp_path, listener):
        await soon(lambda: listener.socket)
        first = listener.socket
        with contextlib.suppress(Exception):
            await first.send(rubbish)
        await soon(lambda: len(listener.hellos) >= 2)
