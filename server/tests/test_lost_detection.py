"""The loop of silence goes on listening, whatever goes wrong with one host."""

from __future__ import annotations

import asyncio
import contextlib

import pytest
from waiting import soon

from paddock_server.link import lost_detection
from paddock_server.process import connections
from paddock_server.process.connections import Connection


@pytest.mark.django_db(transaction=True)
async def test_one_that_cannot_be_noted_keeps_nobody_from_being_heard(monkeypatch):
    noted = []

    def note(host_id, seen):
        noted.append(host_id)
        if host_id == 999_001:
            raise RuntimeError("the host is gone")

    monkeypatch.setattr(lost_detection, "CHECK_INTERVAL_SECONDS", 0.01)
    monkeypatch.setattr(lost_detection, "_note", note)
    monkeypatch.setattr(lost_detection.leases, "expire_later", lambda host_id, grace, lease: None)
    listening = asyncio.create_task(lost_detection.lost_detection_loop())
    for host_id in (999_001, 999_002):
        connections.enter(Connection(host_id, grace=0.0, heard=0.0))
        await soon(lambda wanted=host_id: wanted in noted, "the silence to be seen")
    listening.cancel()
    with contextlib.suppress(asyncio.CancelledError):
        await listening
