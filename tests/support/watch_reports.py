"""Reports of watches, for tests."""

from __future__ import annotations

import time

from paddock_agent import wire

UNIT = "paddock-agent-knot.service"
NO_ORDER = {"power_down": "", "signature": ""}
"""The part of an answer that says nothing of power."""
STOPPED = wire.ServiceState(UNIT, "linux", "stopped", starts_at_boot=True, start_type="enabled", account="paddock")
RUNNING = wire.ServiceState(UNIT, "linux", "running", starts_at_boot=True, start_type="enabled", account="paddock")


def report(host, state=RUNNING, name="", **more):
    report = {
        "host": name or host.name,
        "at": time.time(),
        "state": state,
        "boot": "b1",
        "uptime": 900.0,
        "starts_left": 3,
    }
    return wire.WatchReport(**{**report, **more})
