"""The last report of a host's watch, for display."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

import msgspec
from django.conf import settings

from paddock_agent import wire

from ..hosts.models import LIVING, Host
from .models import Health
from .observed_fleet import watch_seen


def agent_service(host: str) -> str:
    """The name of the agent's service on a living host, as its watch saw it; "" where no watch has reported."""
    named = Health.objects.filter(host__name=host, host__standing__in=LIVING)
    return named.values_list("report__state__name", flat=True).first() or ""


def watch_shown(host: Host, now: datetime) -> dict[str, Any] | None:
    """The report with its diagnosis; None where no watch has ever reported."""
    health = getattr(host, "health", None)
    seen = watch_seen(health) if health else None
    if health is None or seen is None:
        return None
    report = msgspec.convert(health.report, wire.WatchReport)
    return {
        "at": datetime.fromtimestamp(seen.at, UTC),
        "service": seen.service,
        "running": seen.running,
        "start_type": seen.start_type,
        "starts_at_boot": seen.starts_at_boot,
        "account": seen.account,
        "restarts": seen.restarts,
        "uptime": max(0.0, now.timestamp() - seen.booted_at),
        "sentence": report.why_absent or wire.diagnose(report.state).sentence,
        "is_silent": now.timestamp() - seen.at > 2.5 * settings.WATCH_SECONDS,
    }
