"""The agent at work: keeps one connection to its server, for ever, and does what comes over it."""

from __future__ import annotations

import asyncio
import contextlib
import logging
import random
import secrets
import ssl
from collections.abc import Callable
from pathlib import Path

import websockets
from websockets.asyncio.client import ClientConnection, connect

from . import wire
from .attempts import Attempts
from .errors import BadMessage, Dismissed
from .facts import gather_facts
from .identity import Identity
from .probes import Probes
from .spool import Sending, Spool
from .surveying import Surveying
from .system import System
from .time_line import TimeLine
from .upgrade.nudge import nudge
from .vitals import heartbeat
from .wake_on_lan import send_magic_packet
from .watched_services import Watched
from .work_trials import WorkTrials

log = logging.getLogger("paddock.agent")

FIRST_WAIT_SECONDS, MAX_WAIT_SECONDS = 0.5, 30.0
"""Seconds before a new try to connect: doubled each time, with jitter, so that a fleet does not come back at once."""
FAREWELL_PATIENCE = 3.0


class Agent:
    """One agent: a system to work on, an identity, and a home folder for its spool and notes. ``drain_troubles`` gives
    the warnings since it was last called."""

    def __init__(
        self, system: System, identity: Identity, home: Path, drain_troubles: Callable[[], list[str]] = list
    ) -> None:
        self._system = system
        self._identity = identity
        self._home = home
        self._take_troubles = drain_troubles
        self._run = secrets.token_hex(8)
        self._spool = Spool(home)
        self._news = asyncio.Event()
        self._spool_sent = asyncio.Event()
        self._stopping = asyncio.Event()
        self.restarts = False
        if self._spool.is_empty:
            self._spool_sent.set()
        self._probes = Probes(home)
        self._trials = WorkTrials(system, identity.work_folder, identity.server, self._is_idle, home / "running")
        self._surveying = Surveying(system, self._probes, identity.work_folder, self._tell, self._trials.surveyed)
        self._attempts = Attempts(
            system,
            identity.work_folder,
            home,
            self._tell,
            self._begin,
            self._probes.definition,
            self._trials.before_attempt,
        )
        self._underway: dict[str, asyncio.Event] = {}
        self._connection: ClientConnection | None = None
        self._watched = Watched(system)
        self._time_line = TimeLine(home)
        self._every = 15.0
        self._asked = asyncio.Event()
        self._powers_down = False

    def stop(self) -> None:
        """Asks the agent to end its scripts, say goodbye and return from ``run``."""
        self._stopping.set()

    def running_attempts(self) -> list[str]:
        """The attempts that run here."""
        return self._attempts.known()

    def _is_idle(self) -> bool:
        return not self._attempts.known()

    async def run(self) -> None:
        """Works until it is stopped. Raises Dismissed when the server knows the key no longer."""
        for attempt in self._attempts.end_leftovers():
            log.warning("Ended the script of attempt %s, which an earlier agent had left behind.", attempt)
        surveying: asyncio.Task[object] = asyncio.create_task(self._surveying.survey_loop())
        connecting: asyncio.Task[object] = asyncio.create_task(self._connection_loop())
        stopping: asyncio.Task[object] = asyncio.create_task(self._stopping.wait())
        folders: asyncio.Task[object] = asyncio.create_task(self._attempts.folder_loop())
        sending: asyncio.Task[object] = asyncio.create_task(
            self._attempts.outbox.sending_loop(self._identity.server, self._identity.key)
        )
        trying: asyncio.Task[object] = asyncio.create_task(self._trials.trial_loop())
        tasks: list[asyncio.Task[object]] = [connecting, surveying, stopping, folders, sending, trying]
        try:
            await asyncio.wait(tasks, return_when=asyncio.FIRST_COMPLETED)
            for task in (connecting, surveying, folders, sending, trying):
                if task.done():
                    task.result()  # raises what ended it
            await self._attempts.stop_all()
            await self._say_goodbye()
        finally:
            for task in tasks:
                task.cancel()
            await asyncio.gather(*tasks, return_exceptions=True)
            await self._attempts.drop()
            self._spool.close()

    def _tell(self, message: wire.FromAgent) -> None:
        self._spool.add(message)
        self._spool_sent.clear()
        self._news.set()

    async def _begin(self, started: wire.AttemptStarted) -> None:
        """Tells that an attempt starts, and returns once the server has it for running."""
        underway = self._underway[started.attempt] = asyncio.Event()
        try:
            self._tell(started)
            await underway.wait()
        finally:
            del self._underway[started.attempt]

    async def _connection_loop(self) -> None:
        wait = FIRST_WAIT_SECONDS
        while True:
            try:
                async with connect(
                    self._identity.server.replace("http", "ws", 1) + "/agent/v1/link",
                    additional_headers={"Authorization": f"Bearer {self._identity.key}"},
                    max_size=wire.MAX_MESSAGE_BYTES,
                    compression=None,
                    open_timeout=20,
                    user_agent_header=None,
                ) as connection:
                    await self._converse(connection)
                    wait = FIRST_WAIT_SECONDS
            except websockets.InvalidStatus as error:
                if error.response.status_code in (401, 403):
                    raise Dismissed(_denied(error)) from None
                log.warning("The server answered %s; trying again.", error.response.status_code)
            except (OSError, TimeoutError, websockets.WebSocketException, BadMessage) as error:
                log.warning("No connection to %s (%s); trying again.", self._identity.server, error)
            await asyncio.sleep(wait * random.uniform(0.5, 1.0))  # noqa: S311 - jitter, no secret
            wait = min(MAX_WAIT_SECONDS, wait * 2)

    async def _converse(self, connection: ClientConnection) -> None:
        facts = await gather_facts(self._system, self._identity.work_folder, self._surveying.differs)
        known = list(dict.fromkeys([*self._attempts.known(), *self._spool.unsent_ends()]))
        hello = wire.Hello(
            protocol=wire.VERSION,
            facts=facts,
            run=self._run,
            attempts=known,
            time_line=self._time_line.read(),
            certificate_ends=_certificate_end(connection),
            cannot=await self._trials.try_now(),
            trouble_before=[line[:2000] for line in reversed(self._take_troubles())],
        )
        await _send(connection, hello)
        # From here on the server takes the host for connected, so from here on it is owed a goodbye.
        self._connection = connection
        try:
            await self._work(connection)
        finally:
            self._connection = None

    async def _work(self, connection: ClientConnection) -> None:
        welcome = wire.from_server(await connection.recv())
        if isinstance(welcome, wire.Dismiss):
            raise Dismissed(welcome.why)
        if not isinstance(welcome, wire.Welcome):
            raise BadMessage("the server did not say welcome")
        if self._time_line.is_another(welcome.time_line):
            self._attempts.abandon_all(self._time_line.note)
        self._time_line.remember(welcome.time_line)
        self._attempts.slots = welcome.slots
        self._attempts.folders.warm_days = welcome.warm_days
        self._watched.watch(welcome.services)
        self._every = welcome.heartbeat
        self._probes.know(welcome.signer)
        log.info(
            "Connected to %s as %s%s.", self._identity.server, welcome.host, "" if welcome.admitted else ", at the gate"
        )
        work = [
            asyncio.create_task(self._send_spool(connection)),
            asyncio.create_task(self._send_heartbeats(connection)),
            asyncio.create_task(self._receive(connection)),
            asyncio.create_task(self._tell_services(connection)),
            asyncio.create_task(self._tell_trials(connection)),
        ]
        try:
            done, _ = await asyncio.wait(work, return_when=asyncio.FIRST_COMPLETED)
            for task in done:
                task.result()
        finally:
            for task in work:
                task.cancel()
            await asyncio.gather(*work, return_exceptions=True)

    async def _send_spool(self, connection: ClientConnection) -> None:
        sending = Sending(self._spool)
        while True:
            self._news.clear()
            while frame := sending.next():
                await connection.send(frame)
            await self._news.wait()

    async def _send_heartbeats(self, connection: ClientConnection) -> None:
        while True:
            await _send(connection, heartbeat(self._system, self._identity.work_folder))
            self._trials.glance()
            self._asked.clear()
            with contextlib.suppress(TimeoutError):
                async with asyncio.timeout(max(0.05, self._every)):
                    await self._asked.wait()

    async def _tell_services(self, connection: ClientConnection) -> None:
        """Tells how the watched services are, when that has changed; and what came of starting and stopping them."""
        self._watched.forget_last_report()
        while True:
            for message in await self._watched.news(self._every):
                await _send(connection, message)

    async def _tell_trials(self, connection: ClientConnection) -> None:
        """Tells what this host cannot do, when that has changed."""
        while True:
            await _send(connection, wire.WorkTried(cannot=await self._trials.change()))

    async def _receive(self, connection: ClientConnection) -> None:
        async for data in connection:
            self._handle(wire.from_server(data))

    def _handle(self, message: wire.ServerMessage) -> None:
        match message:
            case wire.Ack() | wire.LogAck():
                self._spool.forget(message)
                if self._spool.is_empty:
                    self._spool_sent.set()
                self._news.set()
            case wire.Offer():
                self._attempts.accept(message)
            case wire.Underway(attempt=attempt):
                if underway := self._underway.get(attempt):
                    underway.set()
            case wire.Cancel(attempt=attempt):
                self._attempts.stop(attempt, "cancelled")
            case wire.Abandon(attempt=attempt):
                log.warning("The server gave up on attempt %s; stopping it.", attempt)
                self._attempts.stop(attempt, "cancelled", at_once=True)
            case wire.ClearFolders(paths=paths):
                self._attempts.clear_folders(paths)
            case wire.SurveyNow(mark=mark):
                self._surveying.want("request", mark)
            case wire.Slots(slots=slots):
                self._attempts.slots = slots
            case wire.Probes(number=number, tools=tools, signature=signature):
                if self._probes.accept(number, tools, signature):
                    self._surveying.want("catalogue")
            case wire.TryProbe():
                self._surveying.try_probe(message)
            case wire.Admitted():
                log.info("Admitted: jobs may come.")
            case wire.Restart():
                log.info("The server asked for a restart. The agent restarts as soon as no job runs.")
                self.restarts = True
                self._attempts.when_idle(self.stop)
            case wire.Upgrade():
                nudge(self._home)
            case wire.PowerDown():
                self._power_down()
            case wire.WakeNeighbour():
                self._tell_woken(message)
            case wire.WatchServices(services=services):
                self._watched.watch(services)
            case wire.HeartbeatEvery(seconds=seconds):
                self._every = seconds
            case wire.StillThere():
                self._asked.set()
            case wire.TryService(name=name, verb=verb):
                self._watched.try_soon(name, verb)
            case wire.Dismiss(why=why):
                raise Dismissed(why)
            case wire.Welcome():
                raise BadMessage("a second welcome")

    def _power_down(self) -> None:
        """The server offers nothing more; the watch looks again whether a job runs."""
        if self._is_idle():
            self._powers_down = True
            nudge(self._home)

    def _tell_woken(self, asked: wire.WakeNeighbour) -> None:
        """Sends the packet only into a network that this host is in."""
        why = ""
        try:
            if asked.broadcast not in {network.broadcast for network in self._system.networks()}:
                raise ValueError(f"This host is not in the network of {asked.broadcast}.")
            send_magic_packet(asked.hardware, asked.broadcast)
        except (OSError, ValueError) as error:
            why = str(error)[:500]
        self._tell(wire.Woken(wake=asked.wake, why=why))

    async def _say_goodbye(self) -> None:
        """Gives the last messages a moment to be acknowledged, then says goodbye. Unsent messages stay in the spool."""
        connection = self._connection
        if connection is None:
            return
        with contextlib.suppress(TimeoutError):
            async with asyncio.timeout(FAREWELL_PATIENCE):
                await self._spool_sent.wait()
        shutdown = await self._system.is_shutting_down()
        with contextlib.suppress(TimeoutError, websockets.WebSocketException):
            async with asyncio.timeout(FAREWELL_PATIENCE):
                standby = shutdown and self._powers_down
                await _send(connection, wire.Goodbye(why="the agent was stopped", shutdown=shutdown, standby=standby))
                await connection.close()


async def _send(connection: ClientConnection, message: wire.FromAgent) -> None:
    await connection.send(wire.encode(message).decode())


def _certificate_end(connection: ClientConnection) -> float | None:
    """When the server's certificate ends; None where the connection has none."""
    tls = connection.transport.get_extra_info("ssl_object")
    ends = (tls.getpeercert() or {}).get("notAfter") if tls else None
    return float(ssl.cert_time_to_seconds(ends)) if ends else None


def _denied(error: websockets.InvalidStatus) -> str:
    refusal = (error.response.body or b"").decode("utf-8", "replace")[:500].strip()
    return refusal or "The server does not know this agent's key."
