"""The short way for reports of watches: only what says nothing new takes it, and it answers as the long way does."""

from __future__ import annotations

import asyncio
import json

import msgspec
import pytest
from watch_reports import NO_ORDER, RUNNING, STOPPED, report

from paddock_agent import wire
from paddock_server.health import watches
from paddock_server.health.actions.record_watch_report import record_watch_report
from paddock_server.hosts.actions.make_watch_key import make_watch_key
from paddock_server.link.watch_lane import PATH, with_short_way
from paddock_server.process import connections
from paddock_server.process.connections import Connection


class Asked:
    """One call through the short way, with a long way of the test's own."""

    def __init__(self):
        self.long = []
        self.sent = []

    async def ask(self, key, body, path=PATH, more_body=False):
        async def long_way(scope, receive, send):
            self.long.append((await receive())["body"])

        async def receive():
            return {"type": "http.request", "body": body, "more_body": more_body}

        async def send(event):
            self.sent.append(event)

        scope = {"path": path, "method": "POST", "headers": [(b"authorization", f"Bearer {key}".encode())]}
        await with_short_way(long_way)(scope, receive, send)
        return "long" if self.long else "short"


@pytest.fixture
def known(new_host):
    """A connected host whose watch has reported once, and its key."""
    host = new_host("knot-01")
    key = make_watch_key(host)
    record_watch_report(host, report(host))
    connection = Connection(host.pk)
    connections.enter(connection)
    yield host, key
    connections.leave(connection)
    watches.forget(host.pk)


async def ask(key, report, **more):
    asked = Asked()
    body = report if isinstance(report, bytes) else msgspec.json.encode(report)
    way = await asked.ask(key, body, **more)
    if way == "long":
        assert asked.long == [body], "the long way gets all of it"
    return way, asked.sent


async def test_what_says_nothing_new_takes_it(known):
    host, key = known
    watches.unwritten()
    way, sent = await ask(key, report(host, uptime=960.0))
    assert way == "short"
    assert sent[0]["status"] == 200
    assert json.loads(sent[1]["body"]) == {"start": False, "asked": False, "examine": False, "upgrade": 0, **NO_ORDER}
    assert list(watches.unwritten()) == [host.pk]


@pytest.mark.parametrize(
    "more",
    [
        {"state": STOPPED},
        {"boot": "b2"},
        {"on_purpose": True},
        {"started": True},
        {"name": "curlew-01"},
        {"at": 9e12},
        {"uptime": -1.0},
        {"why_absent": "gone"},
    ],
)
async def test_what_says_more_or_cannot_be_takes_the_long_way(known, more):
    host, key = known
    assert (await ask(key, report(host, **{"state": RUNNING, **more})))[0] == "long"


async def test_nonsense_and_strangers_take_the_long_way(known):
    host, key = known
    for body in (b"", b"{", b" " * (wire.MAX_WATCH_REPORT_BYTES + 1)):
        assert (await ask(key, body))[0] == "long"
    assert (await ask("another key", report(host)))[0] == "long"
    assert (await ask(key, report(host), path="/agent/v1/join"))[0] == "long"
    assert (await ask(key, report(host), more_body=True))[0] == "long"


def test_a_key_that_is_dead_takes_the_long_way(known):
    host, key = known
    make_watch_key(host)
    assert asyncio.run(ask(key, report(host)))[0] == "long"


async def test_a_host_that_is_not_connected_takes_the_long_way(known):
    host, key = known
    connections._connections().clear()
    assert (await ask(key, report(host)))[0] == "long"
