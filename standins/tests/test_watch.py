"""The watch on stand-ins of all three systems: set up as each system repeats things, reporting what its manager
says."""

from __future__ import annotations

import asyncio
import json
import threading
import xml.etree.ElementTree as ElementTree
from dataclasses import replace
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

import msgspec
import pytest

from paddock_agent import agent_service, watch, wire
from paddock_agent.errors import Dismissed, NotJoined, Unreachable
from paddock_agent.identity import Identity
from paddock_agent.services import manager_of
from paddock_agent.system.paths import paths_of
from paddock_agent.watched_services import Watched
from paddock_standins.description import all_hosts
from paddock_standins.simulated import SimulatedSystem

HOSTS = {one.name: one for one in all_hosts()}
SYSTEMS = ["curlew-01", "russet-01", "ketch-01"]


class FarEnd:
    """A server of the test's own: its requests and answers."""

    def __init__(self) -> None:
        self.sent: list[tuple[str, str, bytes]] = []
        self.answer = wire.WatchAnswer()
        self.status = 200
        far_end = self

        class Handler(BaseHTTPRequestHandler):
            def do_POST(self):
                body = self.rfile.read(int(self.headers["Content-Length"]))
                far_end.sent.append((self.path, self.headers["Authorization"], body))
                is_key = self.path.endswith("watch-key")
                answer = wire.WatchKey("paddock-watch-key", 60) if is_key else far_end.answer
                data = msgspec.json.encode(answer) if far_end.status == 200 else b'{"detail": "unknown key"}'
                self.send_response(far_end.status)
                self.end_headers()
                self.wfile.write(data)

            def log_message(self, *_):
                pass

        self._server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
        self.url = f"http://127.0.0.1:{self._server.server_address[1]}"
        threading.Thread(target=self._server.serve_forever, daemon=True).start()

    def reports(self):
        return [wire.read_as(wire.WatchReport, body) for path, _, body in self.sent if path == "/agent/v1/watch"]

    def close(self):
        self._server.shutdown()
        self._server.server_close()


@pytest.fixture
def far_end():
    one = FarEnd()
    yield one
    one.close()


class Machine:
    """A stand-in whose agent is a service that does nothing."""

    def __init__(self, name, far_end):
        self.system = SimulatedSystem(replace(HOSTS[name], accounts={}))
        self.known = Identity(far_end.url, "paddock-key", name, "orchard", self.system.description.work_folder)
        self.service = agent_service.name_on(self.system, self.known)
        self.manager = manager_of(self.system)
        self.folder = agent_service.watch_folder(self.system, self.known)

    async def set_up(self):
        account = "build" if self.system.family == "linux" else ""
        await agent_service.install(self.system, self.known, "/var/lib/paddock-agent", account)
        await agent_service.install_watch(self.system, self.known, "/var/lib/paddock-agent")
        return self

    def report(self):
        return watch.report(self.system, self.folder)


@pytest.fixture(params=SYSTEMS)
async def machine(request, far_end):
    return await Machine(request.param, far_end).set_up()


async def test_it_is_set_up_with_a_key_of_its_own_and_taken_out_again(machine, far_end):
    ((name, command),) = machine.system.repeated.items()
    assert "watch" in name
    assert list(command[-4:]) == ["watch", "report", "--folder", machine.folder]
    assert far_end.sent[0][:2] == ("/agent/v1/watch-key", "Bearer paddock-key")
    note = json.loads(machine.system.read_text(paths_of(machine.system).join(machine.folder, watch.NOTE)))
    assert (note["key"], note["service"]) == ("paddock-watch-key", machine.service)
    assert "paddock-key" not in note.values()
    await agent_service.remove_watch(machine.system, machine.known)
    assert machine.system.repeated == {}


async def test_it_tells_what_the_service_manager_says(machine, far_end):
    assert "The service runs" in await machine.report()
    (report,) = far_end.reports()
    assert far_end.sent[-1][1] == "Bearer paddock-watch-key"
    assert (report.host, report.state.name, report.state.running) == (machine.known.host, machine.service, "running")
    assert report.state.starts_at_boot
    assert report.boot == machine.system.boot()
    assert report.uptime > 0
    await machine.manager.stop(machine.service)
    await machine.report()
    assert far_end.reports()[-1].state.running == "stopped"
    await machine.manager.uninstall(machine.service)
    await machine.report()
    assert far_end.reports()[-1].state.running == "missing"


async def test_it_starts_what_should_run_a_few_times_an_hour(machine, far_end):
    far_end.answer = wire.WatchAnswer(start=True)
    for left in (3, 2, 1):
        await machine.manager.stop(machine.service)
        assert "so it was started" in await machine.report()
        before, after = far_end.reports()[-2:]
        assert (before.starts_left, before.started, after.started, after.state.running) == (
            left,
            False,
            True,
            "running",
        )
    await machine.manager.stop(machine.service)
    await machine.report()
    assert (await machine.manager.state(machine.service)).running == "stopped"
    assert far_end.reports()[-1].starts_left == 0
    machine.system.clock_ahead = 3700.0
    assert "so it was started" in await machine.report()


async def test_what_was_stopped_on_purpose_stays_so_until_a_person_asks(machine, far_end):
    far_end.answer = wire.WatchAnswer(start=True)
    agent_service.mark_stopped(machine.system, machine.known, True)
    await machine.manager.stop(machine.service)
    await machine.report()
    assert far_end.reports()[-1].on_purpose
    assert (await machine.manager.state(machine.service)).running == "stopped"
    far_end.answer = wire.WatchAnswer(start=True, asked=True)
    await machine.report()
    assert (await machine.manager.state(machine.service)).running == "running"
    agent_service.mark_stopped(machine.system, machine.known, False)
    await machine.report()
    assert not far_end.reports()[-1].on_purpose


async def test_what_it_cannot_do_is_said(machine, far_end):
    far_end.status = 401
    with pytest.raises(Dismissed, match="unknown key"):
        await machine.report()
    far_end.status = 503
    with pytest.raises(Unreachable):
        await machine.report()
    with pytest.raises(NotJoined, match="paddock-agent watch install"):
        await watch.report(machine.system, "/nowhere")
    machine.system.write_text(paths_of(machine.system).join(machine.folder, watch.NOTE), "{", 0o600)
    with pytest.raises(NotJoined, match="cannot be read"):
        await machine.report()


async def test_a_spoilt_list_of_starts_counts_as_none(machine, far_end):
    machine.system.write_text(paths_of(machine.system).join(machine.folder, watch.STARTS), "nonsense", 0o600)
    await machine.report()
    assert far_end.reports()[-1].starts_left == watch.MAX_STARTS


async def test_the_scheduled_task_runs_as_the_system_each_minute_and_at_boot(far_end):
    machine = await Machine("ketch-01", far_end).set_up()
    text = machine.system.read_text(f"{machine.folder}\\task.xml")
    space = "{http://schemas.microsoft.com/windows/2004/02/mit/task}"
    task = ElementTree.fromstring(text)
    assert task.findtext(f"{space}Triggers/{space}TimeTrigger/{space}Repetition/{space}Interval") == "PT1M"
    assert task.find(f"{space}Triggers/{space}BootTrigger") is not None
    assert task.findtext(f"{space}Principals/{space}Principal/{space}UserId") == "S-1-5-18"


@pytest.fixture(params=SYSTEMS)
def watched(request):
    system = SimulatedSystem(replace(HOSTS[request.param], services={"tide-db": "running", "chartdb": "stopped"}))
    return Watched(system)


def states(message):
    return {one.name: one.running for one in message.states}


async def test_watched_services_are_told_when_they_change(watched):
    watched.watch(["tide-db", "chartdb", "ghost"])
    (first,) = await watched.news(60)
    assert states(first) == {"tide-db": "running", "chartdb": "stopped", "ghost": "missing"}
    watched.try_soon("chartdb", "start")
    tried, then = await watched.news(60)
    assert (tried.verb, tried.why) == ("start", "")
    assert states(then)["chartdb"] == "running"
    assert await watched.news(0.01) == [], "nothing has changed"
    watched.forget_last_report()
    assert [states(one) for one in await watched.news(60)] == [states(then)], (
        "a server that has forgotten hears it again"
    )
    watched.watch([])
    (last,) = await watched.news(60)
    assert last.states == []


async def test_only_watched_services_are_ever_touched(watched):
    watched.watch(["tide-db"])
    await watched.news(60)
    for name, verb in (("chartdb", "start"), ("tide-db", "restart"), ("tide-db; rm", "stop")):
        watched.try_soon(name, verb)
    tried = await watched.news(60)
    assert [("left alone" in one.why) for one in tried] == [True] * 3


async def test_what_the_manager_refuses_comes_with_what_would_let_it(watched):
    watched.watch(["ghost"])
    await watched.news(60)
    watched.try_soon("ghost", "start")
    tried = (await watched.news(60))[0]
    assert tried.why
    assert tried.remedy
    assert all(isinstance(one, str) for one in tried.remedy)


async def test_without_watched_services_it_sleeps(watched):
    waiting = asyncio.create_task(watched.news(0.01))
    await asyncio.wait([waiting], timeout=0.05)
    assert not waiting.done()
    watched.watch(["tide-db"])
    assert states((await waiting)[0]) == {"tide-db": "running"}
