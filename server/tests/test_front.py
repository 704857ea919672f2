"""What every answer tells browsers, who may open the feed, how large a body may be, and how much is logged."""

from __future__ import annotations

import asyncio
import contextlib
import json
import logging
import socket

import pytest
from asgiref.testing import ApplicationCommunicator
from django.http import StreamingHttpResponse
from hypothesis import given
from hypothesis import strategies as st

from paddock_server.asgi import application
from paddock_server.front import bodies, log_bound
from paddock_server.front.bodies import Bodies, largest_at
from paddock_server.front.doors import Bounds, Doors, bounds_for
from paddock_server.front.headers import POLICY
from paddock_server.front.log_bound import BoundedLines
from paddock_server.front.one_crossing import OneCrossing
from paddock_server.front.origin import is_own_origin
from paddock_server.process.open_streams import OpenStreams
from paddock_server.process.state import part
from paddock_server.serve import listening_socket


def scope(path="/", host="localhost", method="GET", **headers):
    named = [(b"host", host.encode())] if host else []
    named += [(name.replace("_", "-").encode(), value.encode()) for name, value in headers.items()]
    return {
        "type": "http", "method": method, "path": path, "raw_path": path.encode(), "query_string": b"",
        "headers": named, "client": ("10.0.0.1", 1), "server": ("localhost", 80), "scheme": "http", "root_path": "",
        "http_version": "1.1", "asgi": {"version": "3.0"},
    }  # fmt: skip


async def ask(app, given, *events):
    """The status, headers and body of an answer."""
    talk = ApplicationCommunicator(app, given)
    for event in events or ({"type": "http.request", "body": b"", "more_body": False},):
        await talk.send_input(event)
    start = await talk.receive_output(10)
    body = b""
    while True:
        part = await talk.receive_output(10)
        body += part.get("body", b"")
        if not part.get("more_body"):
            break
    return start["status"], {name.lower().decode(): value.decode() for name, value in start["headers"]}, body


@pytest.mark.django_db(transaction=True)
@pytest.mark.parametrize(
    ("path", "cache"),
    [
        ("/", "no-cache"),
        ("/static/mark.svg", None),
        ("/static/none.js", None),
        ("/api/v1/session/", "no-store"),
        ("/api/v1/hosts/", "no-store"),
        ("/agent/v1/join", "no-store"),
        ("/healthz", None),
    ],
)
async def test_every_answer_tells_browsers_what_a_page_may_do(path, cache):
    _, headers, _ = await ask(application, scope(path))
    assert headers["content-security-policy"] == POLICY
    assert headers["x-frame-options"] == "DENY"
    assert headers["x-content-type-options"] == "nosniff"
    if cache:
        assert headers["cache-control"] == cache


@pytest.mark.parametrize("path", ["/", "/static/mark.svg", "/api/v1/session/", "/healthz"])
@pytest.mark.parametrize("host", ["evil.example", "localhost.evil.example", "localhost:80:80", "[::2]", "-"])
async def test_a_name_that_is_not_the_servers_is_answered_by_nobody(path, host):
    status, headers, body = await ask(application, scope(path, host))
    assert (status, headers["content-type"]) == (400, "application/problem+json")
    assert "PADDOCK_HOSTS" in json.loads(body)["detail"]


@pytest.mark.parametrize(
    ("origin", "host", "scheme", "is_internal"),
    [
        ("http://localhost:8200", "localhost:8200", "ws", True),
        ("http://LOCALHOST:8200", "localhost:8200", "ws", True),
        ("http://localhost", "localhost:80", "ws", True),
        ("https://localhost", "localhost:443", "wss", True),
        ("http://localhost:8201", "localhost:8200", "ws", False),
        ("https://localhost:8200", "localhost:8200", "ws", False),
        ("http://127.0.0.1:8200", "localhost:8200", "ws", False),
        ("http://localhost:8200.evil.example", "localhost:8200", "ws", False),
        ("http://evil.example", "evil.example", "ws", False),
        ("null", "localhost:8200", "ws", False),
        ("http://localhost:99999", "localhost:8200", "ws", False),
        ("https://paddock.example", "localhost:8200", "ws", True),
        ("http://paddock.example", "localhost:8200", "ws", False),
    ],
)
def test_a_feed_is_for_pages_of_this_server(settings, origin, host, scheme, is_internal):
    settings.PUBLIC_URL = "https://paddock.example/"
    asked = {"scheme": scheme, "headers": [(b"host", host.encode()), (b"origin", origin.encode())]}
    assert is_own_origin(asked) is is_internal


def test_a_feed_without_an_origin_or_with_two_is_refused():
    host = (b"host", b"localhost")
    assert not is_own_origin({"scheme": "ws", "headers": [host]})
    assert not is_own_origin({"scheme": "ws", "headers": [host, *[(b"origin", b"http://localhost")] * 2]})


async def test_a_socket_to_nowhere_is_refused_without_a_fault():
    talk = ApplicationCommunicator(application, {**scope("/nowhere"), "type": "websocket", "scheme": "ws"})
    await talk.send_input({"type": "websocket.connect"})
    assert (await talk.receive_output())["type"] == "websocket.close"
    await talk.wait()


# ---- bodies --------------------------------------------------------------------------------------------------------


async def echo(scope, receive, send):
    event = await receive()
    await send({"type": "http.response.start", "status": 200, "headers": []})
    await send({"type": "http.response.body", "body": event["body"]})


def pieces(*parts):
    return [
        {"type": "http.request", "body": part, "more_body": place < len(parts) - 1} for place, part in enumerate(parts)
    ]


@pytest.mark.parametrize("more", [-1, 0, 1])
@pytest.mark.parametrize("announced", [True, False])
async def test_a_body_may_be_as_large_as_its_address_takes(more, announced):
    size = largest_at("/api/v1/session/") + more
    headers = {"content_length": str(size)} if announced else {}
    parts = pieces(b"x" * 1000, b"x" * (size - 1000))
    status, headers, body = await ask(Bodies(echo), scope("/api/v1/session/", method="POST", **headers), *parts)
    if more > 0:
        assert (status, headers["content-type"], headers["connection"]) == (413, "application/problem+json", "close")
        assert str(size - more) in json.loads(body)["detail"]
    else:
        assert (status, len(body)) == (200, size)


async def test_bodies_together_are_bounded_and_their_room_comes_free(monkeypatch):
    monkeypatch.setattr(bodies, "BODIES_TOGETHER", 1500)
    app = Bodies(echo)
    status, headers, _ = await ask(app, scope("/api/v1/jobs/", method="POST"), *pieces(b"x" * 1000, b"x" * 1000))
    assert (status, headers["retry-after"]) == (503, "5")
    for _ in range(3):
        assert (await ask(app, scope("/api/v1/jobs/", method="POST"), *pieces(b"x" * 1000)))[0] == 200
    assert app._together == 0


async def test_who_goes_away_in_the_middle_costs_nothing():
    app = Bodies(echo)
    talk = ApplicationCommunicator(app, scope("/api/v1/jobs/", method="POST"))
    await talk.send_input({"type": "http.request", "body": b"x" * 500, "more_body": True})
    await talk.send_input({"type": "http.disconnect"})
    await talk.wait()
    assert app._together == 0


@pytest.mark.parametrize("length", ["-1", "x", "9" * 100, "1e9", "+5"])
async def test_a_strange_length_is_no_fault(length):
    given = scope("/api/v1/jobs/", method="POST", content_length=length)
    status, _, _ = await ask(Bodies(echo), given, *pieces(b"x"))
    assert status == (413 if length.startswith("99") else 200)


# ---- doors ---------------------------------------------------------------------------------------------------------


class Wire:
    """Stands for a transport."""

    def __init__(self):
        self.aborted = False

    def abort(self):
        self.aborted = True


@given(st.integers(0, 2_000_000))
def test_bounds_leave_files_for_the_server_itself(files):
    bounds = bounds_for(files)
    assert bounds.http_from_one <= bounds.http
    assert bounds.http + bounds.sockets <= max(40, files - 100)


def test_one_address_does_not_take_the_places_of_others():
    doors = Doors(Bounds(10, 4, 5))
    wires = [Wire() for _ in range(8)]
    assert [doors.enter(wire, "10.0.0.1") for wire in wires] == [True] * 4 + [False] * 4
    assert doors.enter(Wire(), "10.0.0.2")
    doors.leave(wires[0])
    assert doors.enter(Wire(), "10.0.0.1")


def test_behind_a_named_proxy_stand_many():
    doors = Doors(Bounds(100, 4, 5), ["10.0.0.1"])
    assert all(doors.enter(Wire(), "10.0.0.1") for _ in range(50))


def test_when_all_places_are_taken_the_longest_silent_makes_room():
    doors = Doors(Bounds(3, 3, 5))
    asking, silent, newest = Wire(), Wire(), Wire()
    for place, wire in enumerate((asking, silent, newest)):
        assert doors.enter(wire, f"10.0.0.{place}")
    doors.is_asking(asking)
    assert doors.enter(Wire(), "10.0.0.9")
    assert [wire.aborted for wire in (asking, silent, newest)] == [False, True, False]


def test_when_all_are_at_work_a_new_one_is_refused():
    doors = Doors(Bounds(2, 2, 5))
    for place in range(2):
        wire = Wire()
        doors.enter(wire, f"10.0.0.{place}")
        doors.is_asking(wire)
    assert not doors.enter(Wire(), "10.0.0.9")


def test_sockets_have_places_of_their_own():
    doors = Doors(Bounds(2, 2, 3))
    for _ in range(3):
        wire = Wire()
        assert doors.enter(wire, "10.0.0.1")
        assert doors.becomes_socket(wire)
    assert doors.number() == (0, 3)
    last = Wire()
    assert doors.enter(last, "10.0.0.1")
    assert not doors.becomes_socket(last)


# ---- the log -------------------------------------------------------------------------------------------------------


def test_lines_of_one_kind_are_bounded_and_the_rest_is_counted(monkeypatch):
    now = 0.0
    monkeypatch.setattr(log_bound.time, "monotonic", lambda: now)
    written = []
    bound = BoundedLines()

    def line(number, headers):
        record = logging.LogRecord("asyncio", logging.ERROR, __file__, number, headers, (), None)
        if bound.filter(record):
            written.append(record.getMessage())

    for n in range(1000):
        line(1, f"socket.accept() out of system resource {n}")
    line(2, "something else")
    assert len(written) == log_bound.LINES + 1
    assert written[-1] == "something else"
    now = log_bound.WINDOW + 1
    line(1, "once more")
    assert written[-1] == f"once more (and {1000 - log_bound.LINES} more like this before)"


def test_kinds_that_are_known_are_bounded():
    bound = BoundedLines()
    for number in range(3 * log_bound.KINDS_KNOWN):
        bound.filter(logging.LogRecord("x", logging.ERROR, __file__, number, "", (), None))
    assert len(bound._kinds) <= log_bound.KINDS_KNOWN


@pytest.mark.parametrize("address", ["127.0.0.1", "::1"])
def test_what_the_server_accepts_sends_at_once(address):
    with listening_socket(address, 0) as listening, socket.create_connection(listening.getsockname()[:2]):
        accepted, _ = listening.accept()
        with accepted:
            assert accepted.getsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY)


@pytest.mark.parametrize("reader", [("person", 7), ("session", "a" * 64)])
async def test_what_is_sent_ends_when_its_reader_is_shut_out(monkeypatch, reader):
    async def endless():
        while True:
            yield b"x" * 1000
            await asyncio.sleep(0)

    response = StreamingHttpResponse(endless())
    response.readers = [("person", 7), ("session", "a" * 64)]
    crossing = OneCrossing()
    monkeypatch.setattr(crossing, "_answer", lambda *_: response)
    talk = ApplicationCommunicator(crossing, scope("/api/v1/jobs/1/log/"))
    await talk.send_input({"type": "http.request", "body": b"", "more_body": False})
    assert (await talk.receive_output(10))["type"] == "http.response.start"
    for other in (("person", 8), ("token", 7), ("session", "b" * 64)):
        part(OpenStreams).end(other)
    assert (await talk.receive_output(10))["body"]
    part(OpenStreams).end(reader)
    with contextlib.suppress(asyncio.TimeoutError):
        await talk.wait(10)
    assert talk.future.done()
    part(OpenStreams).end(reader)  # it is not remembered any more
