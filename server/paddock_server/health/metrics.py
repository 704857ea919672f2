"""``/metrics``: the state of the yard in the OpenMetrics text format, for holders of a token whose person may see
everything."""

from __future__ import annotations

import time
from collections import Counter
from collections.abc import Iterator

from django.db.models import Count, Sum
from django.http import HttpResponse
from prometheus_client import CollectorRegistry
from prometheus_client.core import GaugeMetricFamily, Metric
from prometheus_client.openmetrics.exposition import CONTENT_TYPE_LATEST, generate_latest
from prometheus_client.registry import Collector
from rest_framework.request import Request
from rest_framework.views import APIView

from paddock_core.lifecycle import JobState

from ..hosts.models import Host
from ..people.actor import person
from ..people.authentication import BearerAuthentication
from ..people.models import Role
from ..process import connections
from ..process.meters import REGISTRY
from ..work.fleet import slots_working
from ..work.models import Job
from .models import Finding


class _Yard(Collector):
    """What is counted when it is asked for."""

    def collect(self) -> Iterator[Metric]:
        inside = Host.objects.filter(standing=Host.Standing.ADMITTED)
        hosts = GaugeMetricFamily("paddock_hosts", "Admitted hosts, by link", labels=["paddock", "link"])
        for paddock, link, number in inside.values_list("paddock__name", "link").annotate(n=Count("id")).order_by():
            hosts.add_metric([paddock, link], number)
        yield hosts
        yield GaugeMetricFamily(
            "paddock_hosts_at_the_gate",
            "Hosts that wait to be let in",
            Host.objects.filter(standing=Host.Standing.AT_THE_GATE).count(),
        )
        slots = GaugeMetricFamily("paddock_slots", "Slots of connected hosts that are not held", labels=["state"])
        able = inside.filter(link="connected", holding="")
        total = able.aggregate(total=Sum("slots"))["total"] or 0
        working = sum(number for pk, number in slots_working().items() if pk in set(able.values_list("pk", flat=True)))
        slots.add_metric(["working"], working)
        slots.add_metric(["free"], max(0, total - working))
        yield slots
        waiting = GaugeMetricFamily("paddock_jobs_waiting", "Waiting jobs, by reason", labels=["reason"])
        queue = Job.objects.filter(state=JobState.WAITING.value).values_list("reason_kind").annotate(n=Count("id"))
        for reason, number in queue.order_by():
            waiting.add_metric([reason or "not looked at yet"], number)
        yield waiting
        findings = GaugeMetricFamily("paddock_findings", "Open findings, by severity", labels=["severity", "code"])
        open_ones = Counter(Finding.objects.filter(closed_at=None).values_list("severity", "code"))
        for (severity, code), number in open_ones.items():
            findings.add_metric([severity, code], number)
        yield findings
        yield GaugeMetricFamily("paddock_agents_connected", "Agents that are connected", connections.number())
        delays = connections.delays(time.monotonic())
        yield GaugeMetricFamily(
            "paddock_longest_silence_seconds", "Silence of the quietest connected agent", max(delays, default=0.0)
        )


_YARD = CollectorRegistry()
_YARD.register(_Yard())


class MetricsView(APIView):
    """The meters. They are of all paddocks, so they need a role everywhere."""

    authentication_classes = [BearerAuthentication]
    schema = None

    def get(self, request: Request) -> HttpResponse:
        person(request.user).demand(Role.VIEWER, None, "Reading the metrics")
        # Both texts end with a line that says so; the first one's is taken off.
        yard, server = (bytes(generate_latest(one)) for one in (_YARD, REGISTRY))  # type: ignore[no-untyped-call]
        body = yard.removesuffix(b"# EOF\n") + server
        return HttpResponse(body, content_type=CONTENT_TYPE_LATEST)
