"""The agents' end of the link: one bare ASGI WebSocket for each, so that a message costs little.

Reads what an agent says, in order, and hands it to actions; writes what is queued for it. A repeat of a message is
harmless, so an agent may send again whatever was not acknowledged.
"""

from __future__ import annotations

import asyncio
import contextlib
import json
import logging
import time
from collections.abc import Awaitable, Callable, MutableMapping
from typing import Any

from channels.db import database_sync_to_async

from paddock_agent import wire
from paddock_agent.errors import BadMessage
from paddock_core.link_state import LinkEvent

from ..health.actions.dispute import dispute
from ..health.actions.greet import greet
from ..health.actions.note_caller import note_caller
from ..health.actions.note_link import note_link
from ..health.actions.note_services import note_services, note_tried
from ..health.actions.note_trials import note_trials
from ..health.actions.record_anomaly import record_anomaly
from ..hosts.models import Host
from ..hosts.queries import host_with_key
from ..process import connections, event_loop, vitals
from ..process.connections import Connection
from ..process.log_context import about, attempt_name
from ..process.rate_limit import Pace
from ..rest.problems import problem
from ..runs.actions.record_folders import record_folders
from ..runs.actions.record_outputs import record_outputs
from ..runs.actions.record_step import record_step
from ..runs.log_lane import LogLane
from ..standby.actions.record_woken import record_woken
from ..storage import run_in_writer
from ..storage.trouble import trouble_of
from ..toolchains.actions.record_survey import record_survey
from ..toolchains.actions.try_tool import record_trial
from ..work import dispatcher
from ..work.actions.note_restore import note_restore
from ..work.actions.record_report import record_report
from ..work.fleet import row_with_key
from . import duplicate_agents, leases

log = logging.getLogger("paddock.link")

Scope = MutableMapping[str, Any]
Receive = Callable[[], Awaitable[MutableMapping[str, Any]]]
Send = Callable[[MutableMapping[str, Any]], Awaitable[None]]

HELLO_PATIENCE = 20.0
BROKE_PROTOCOL, REPLACED, TWIN = 4002, 4000, 4009


async def agent_link(scope: Scope, receive: Receive, send: Send) -> None:
    """One agent's connection, from its key to its end."""
    await receive()
    host = await database_sync_to_async(host_with_key)(_bearer(scope))
    if host is None:
        await _deny(send)
        return
    await send({"type": "websocket.accept"})
    connection = Connection(host.pk, early=[])
    entered = False
    try:
        async with asyncio.timeout(HELLO_PATIENCE):
            hello = await _next(receive)
        if not isinstance(hello, wire.Hello):
            raise BadMessage("the first message is not hello")
        _demand_spoken(hello.protocol)
        connection.protocol = hello.protocol
        address = (scope.get("client") or ("",))[0]
        is_connected = connections.is_connected(host.pk)
        clone = await run_in_writer(note_caller, host.pk, hello.facts.machine, address, is_connected)
        if clone:
            await send({"type": "websocket.send", "text": wire.encode(wire.Dismiss(why=clone)).decode()})
            await _close(send, REPLACED, "a clone")
            return
        if twin := await duplicate_agents.refused(connection, hello):
            if twin.is_news:
                sentence = f"A second agent with its key called from {address}, {twin.sentence}."
                if twin.is_another_machine:
                    await run_in_writer(dispute, host, sentence)
                else:  # as one that was started by hand beside its service: it is refused, and the work goes on
                    await run_in_writer(record_anomaly, host, "clone", sentence)
            await _close(send, TWIN, "another agent with this key is connected")
            return
        if await run_in_writer(note_restore, hello):
            connections.close_all()
            await _close(send, REPLACED, "the database was restored")
            return
        if duplicate_agents.comes_in_turns(host.pk, hello.facts.boot, hello.run):
            sentence = f"Two agents take turns with its key: now the one that calls from {address} is back"
            sentence += f" (machine {hello.facts.machine[:12] or 'unknown'}, started as {hello.facts.boot[:12]})."
            await run_in_writer(dispute, host, sentence)
        connections.enter(connection)
        entered = True
        vitals.forget(host.pk)
        welcome = await run_in_writer(greet, host.pk, hello, address)
        connection.grace, connection.lease = host.grace, host.lease
        connection.pace = Pace(welcome.heartbeat)
        connection.welcome(welcome)
        await _converse(host, connection, receive, send)
    except BadMessage as error:
        log.warning("The agent of %s was cut off: %s", host.name, error)
        await run_in_writer(record_anomaly, host, "invalid_reading", f"It was cut off: {error}"[:400])
        await _close(send, BROKE_PROTOCOL, str(error))
    except (TimeoutError, _Closed):
        pass
    finally:
        if entered and connections.leave(connection) and not event_loop.server().stopping:
            await run_in_writer(_note_end, host.pk, _seen_at_the_end(connection))
            grace, lease = (0, 0) if connection.has_left else (connection.grace, connection.lease)
            leases.expire_later(host.pk, grace, lease)


def _demand_spoken(protocol: int) -> None:
    """Raises BadMessage for an agent whose version of the link this server does not speak. What to do fits into the
    reason with which the socket closes, for the agent's own log."""
    spoken = f"link {protocol}, not {wire.OLDEST} to {wire.VERSION}"
    if protocol > wire.VERSION:
        raise BadMessage(f"The agent is newer than the server ({spoken}): upgrade the server.")
    if protocol < wire.OLDEST:
        raise BadMessage(f"The agent is too old ({spoken}): run the server's install script there.")


class _Closed(Exception):
    """The socket is gone."""


async def _converse(host: Host, connection: Connection, receive: Receive, send: Send) -> None:
    writing = asyncio.create_task(_write(connection, send))
    reading = asyncio.create_task(_read(host, connection, receive))
    try:
        done, _ = await asyncio.wait([writing, reading], return_when=asyncio.FIRST_COMPLETED)
        for task in done:
            task.result()
    finally:
        for task in (writing, reading):
            task.cancel()
        await asyncio.gather(writing, reading, return_exceptions=True)


async def _write(connection: Connection, send: Send) -> None:
    while (message := await connection.outgoing.get()) is not None:
        await send({"type": "websocket.send", "text": wire.encode(message).decode()})
    await _close(send, REPLACED, "closed by the server")


async def _read(host: Host, connection: Connection, receive: Receive) -> None:
    lane = LogLane(host.pk, connection.put)
    while True:
        message = await _next(receive)
        connection.heard = time.monotonic()
        if isinstance(message, wire.Heartbeat):
            await _record_heartbeat(host, message, connection.pace, connection.heard)
            continue
        if isinstance(message, wire.LogFrame | wire.LogChunk):
            await lane.append(message)
            continue
        await lane.written()
        if isinstance(message, wire.Goodbye):
            connection.has_left = True
            connection.shuts_down = message.shutdown
        else:
            await _record_or_report(host, message)
        if message.seq:
            connection.put(wire.Ack(seq=message.seq))


async def _record_heartbeat(host: Host, beat: wire.Heartbeat, pace: Pace, now: float) -> None:
    """Heartbeats never touch the database, unless they are strange. Who sends too many is made to wait: the socket is
    not read while it waits, so only the sender notices."""
    if invalid_reading := vitals.record(host.pk, beat):
        sentence = ", ".join(f"{name} = {getattr(beat, name, None) or beat.at}" for name in invalid_reading)
        await run_in_writer(record_anomaly, host, "invalid_reading", f"It sent {sentence}.")
    if vitals.of(host.pk).has_moved:
        dispatcher.note_disk_moved()
    if wait := pace.wait(now):
        if pace.is_news:
            await run_in_writer(
                record_anomaly, host, "rate_limited", f"It sends {pace.rate(now):.0f} heartbeats a second."
            )
        await asyncio.sleep(wait)


async def _next(receive: Receive) -> wire.AgentMessage | wire.LogFrame:
    event = await receive()
    if event["type"] == "websocket.disconnect":
        raise _Closed
    if data := event.get("bytes"):
        return wire.read_log_frame(data)
    return wire.from_agent(event.get("text") or "")


async def _record_or_report(host: Host, message: wire.AgentMessage) -> None:
    """Takes a message in. One that makes the server fail is found, and passed over: sent for ever, it would hold up all
    that comes after it. Where only the storage gives trouble, the agent keeps it: raises _Closed."""
    with about(attempt_name, str(getattr(message, "attempt", ""))[:100]):
        try:
            await run_in_writer(_record, host.pk, message)
        except BadMessage:
            raise
        except Exception as error:
            if trouble := trouble_of(error):
                log.error("What %s sends cannot be written: %s", host.name, trouble.title)
                raise _Closed from error
            kind = type(message).__name__
            log.exception("A message of %s (%s) could not be taken in; it is passed over.", host.name, kind)
            await run_in_writer(record_anomaly, host, "invalid_reading", f"Its message {kind} could not be taken in.")


def _record(host_id: int, message: wire.AgentMessage) -> None:
    if isinstance(message, wire.AttemptStarted | wire.AttemptRefused | wire.AttemptEnded):
        record_report(row_with_key(host_id), message)
        return
    host = Host.objects.select_related("paddock").get(pk=host_id)
    match message:
        case wire.WorkTried():
            note_trials(host, message.cannot)
        case wire.WatchedServices():
            note_services(host, message)
        case wire.ServiceTried():
            note_tried(host, message)
        case wire.SurveyReport():
            record_survey(host, message)
        case wire.Tried():
            record_trial(host, message)
        case wire.StepBegan() | wire.StepEnded():
            record_step(host, message)
        case wire.Outputs():
            record_outputs(host, message)
        case wire.WorkFolders():
            record_folders(host, message)
        case wire.Woken():
            record_woken(host, message)
        case wire.Hello():
            raise BadMessage("a second hello")


def _bearer(scope: Scope) -> str:
    header = dict(scope["headers"]).get(b"authorization", b"").decode("latin-1")
    kind, _, key = header.partition(" ")
    return key.strip() if kind.lower() == "bearer" else ""


def _seen_at_the_end(connection: Connection) -> LinkEvent:
    if not connection.has_left:
        return LinkEvent.SOCKET_CLOSED
    return LinkEvent.SHUTDOWN if connection.shuts_down else LinkEvent.GOODBYE


def _note_end(host_id: int, seen: LinkEvent) -> None:
    note_link(Host.objects.select_related("paddock").get(pk=host_id), seen)


async def _deny(send: Send) -> None:
    body = problem(
        401,
        "The key is not known",
        "The server does not know this agent's key: the host was turned away, or this is another server. "
        "Join again with an entry pass.",
    )
    await send(
        {
            "type": "websocket.http.response.start",
            "status": 401,
            "headers": [(b"content-type", b"application/problem+json"), (b"www-authenticate", b"Bearer")],
        }
    )
    await send({"type": "websocket.http.response.body", "body": json.dumps(body).encode()})


async def _close(send: Send, code: int, reason: str) -> None:
    with contextlib.suppress(RuntimeError):
        await send({"type": "websocket.close", "code": code, "reason": reason[:100]})
