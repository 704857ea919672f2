"""Hosts that may sleep, for tests of standby through the API."""

from __future__ import annotations

from datetime import timedelta

import msgspec
from django.utils import timezone

from paddock_agent import wire
from paddock_core.link_state import LinkEvent
from paddock_server.health.actions.note_link import note_link
from paddock_server.health.models import Health
from paddock_server.people.actor import SERVER
from paddock_server.process import connections
from paddock_server.process.connections import Connection
from paddock_server.standby.actions.power_down import begin_power_down
from paddock_server.standby.actions.save_power import save_policy, save_power_settings

NETWORK = {"hardware": "52:54:00:12:34:56", "address": "10.0.0.7", "broadcast": "10.0.0.255"}


def make_sleeper(new_host, shoreline):
    """A host that may sleep: it has a watch, a policy, and was up and idle for a day."""
    host = new_host("curlew-04", shoreline)
    host.link_since = timezone.now() - timedelta(days=1)
    host.facts = {**host.facts, "networks": [NETWORK]}
    host.watch_digest = "a" * 64
    host.save()
    state = wire.ServiceState("paddock-agent.service", "linux", "running")
    report = wire.WatchReport(host.name, timezone.now().timestamp(), state)
    Health.objects.create(host=host, report=msgspec.to_builtins(report), reported_at=timezone.now())
    save_policy(SERVER, "shoreline", {"mode": "when jobs wait", "idle_seconds": 600})
    save_power_settings(SERVER, host, {"may_power_down": True})
    connected(host)
    return host


def connected(host):
    connection = Connection(host.pk)
    connection.protocol = wire.VERSION
    connections.enter(connection)


def now_asleep(host):
    """It was told to go, and went."""
    begin_power_down(host, "for the test")
    seen(host, LinkEvent.SHUTDOWN)
    assert host.power == "asleep"


def seen(host, event):
    host.refresh_from_db()
    note_link(host, event)
    host.refresh_from_db()


def power(host):
    host.refresh_from_db()
    return host.power


def ask(client, host, verb):
    return client.post(f"/api/v1/hosts/{host.name}/{verb}/")


def later(monkeypatch, seconds):
    now = timezone.now() + timedelta(seconds=seconds)
    monkeypatch.setattr(timezone, "now", lambda: now)
