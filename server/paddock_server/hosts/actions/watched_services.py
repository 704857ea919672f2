"""Tells agents which services are watched, and goes by the grace of their paddock."""

from __future__ import annotations

from django.conf import settings

from paddock_agent import wire

from ...link import connections
from ..models import Host


def tell_services(host: Host) -> None:
    """Tells the host's agent, if it is connected, which services are watched there now."""
    connections.send(host.pk, wire.WatchServices(services=host.watched_services[: wire.MOST_SERVICES]))


def grace_of(host: Host) -> float:
    """Seconds of silence after which the host is lost."""
    return float(host.paddock.grace or settings.LINK_GRACE_SECONDS)
