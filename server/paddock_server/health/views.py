from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from typing import Any

from django.conf import settings
from django.utils import timezone
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from paddock_core.findings import BY_CODE
from paddock_core.findings.finding import Action
from paddock_core.vitals import FIELDS

from ..errors import Invalid, NotNow
from ..hosts.actions.hold import hold
from ..hosts.actions.restart import restart
from ..hosts.models import EntryPass
from ..hosts.queries import host_called, record_called, visible_hosts
from ..people.actor import Actor, person
from ..people.models import Role
from ..rest.reading import validated
from .actions.acknowledge import acknowledge
from .actions.ask_examination import ask_examination
from .actions.reopen import reopen
from .actions.request_start import have_started
from .actions.snooze import snooze
from .actions.try_service import try_service
from .examination import examination
from .models import Finding, Health
from .queries import (
    availabilities,
    by_paddock,
    by_urgency,
    finding_numbered,
    flapping,
    forecasts,
    readings,
    shown,
    shown_findings,
    visible_findings,
    week,
)
from .serializers import (
    ExaminationSerializer,
    FindingSerializer,
    FindingsSerializer,
    NoteSerializer,
    ReadingsSerializer,
    SnoozeSerializer,
    TryServiceSerializer,
    WatchSerializer,
    WeekSerializer,
)
from .watch_shown import watch_shown

MAX_CLOSED = 200
MAX_DAYS = 31
EXPIRY_HORIZON = timedelta(days=30)


class FindingsView(APIView):
    """The findings, the most urgent first."""

    @extend_schema(
        operation_id="findings_list",
        responses=FindingsSerializer,
        parameters=[
            OpenApiParameter("host", str, description="Only those of one host."),
            OpenApiParameter(
                "closed", bool, description="Those that have closed, the newest first, instead of open ones."
            ),
        ],
    )
    def get(self, request: Request) -> Response:
        findings = visible_findings(person(request.user))
        if request.query_params.get("closed") == "true":
            listed = shown_findings(findings.exclude(closed_at=None).order_by("-closed_at")[:MAX_CLOSED])
        else:
            listed = by_urgency(findings.filter(closed_at=None))
        if host := request.query_params.get("host"):
            listed = [one for one in listed if host.lower() in {name.lower() for name in one.row.hosts}]
        return Response(FindingsSerializer({"findings": listed}).data)


def _after(action: Callable[..., None], request: Request, pk: int, **more: object) -> Response:
    actor = person(request.user)
    finding = finding_numbered(actor, pk)
    action(actor, finding, **more)
    return Response(FindingSerializer(by_urgency([finding])[0]).data)


class FindingView(APIView):
    """One finding, open or closed."""

    @extend_schema(responses=FindingSerializer)
    def get(self, request: Request, pk: int) -> Response:
        return Response(FindingSerializer(by_urgency([finding_numbered(person(request.user), pk)])[0]).data)


class AcknowledgeView(APIView):
    """Acknowledge it. It stays open until it closes by itself."""

    @extend_schema(request=NoteSerializer, responses=FindingSerializer)
    def post(self, request: Request, pk: int) -> Response:
        return _after(acknowledge, request, pk, **validated(NoteSerializer, request))


class SnoozeView(APIView):
    """Snooze it until a time. It returns then if it is still open."""

    @extend_schema(request=SnoozeSerializer, responses=FindingSerializer)
    def post(self, request: Request, pk: int) -> Response:
        return _after(snooze, request, pk, **validated(SnoozeSerializer, request))


class ReopenView(APIView):
    """Take back an acknowledgement or a snooze."""

    @extend_schema(request=None, responses=FindingSerializer)
    def post(self, request: Request, pk: int) -> Response:
        return _after(reopen, request, pk)


class ActView(APIView):
    """Do what the server itself can do about a finding: its remedy's action."""

    @extend_schema(request=None, responses={202: None})
    def post(self, request: Request, pk: int) -> Response:
        actor = person(request.user)
        finding = finding_numbered(actor, pk)
        _act(actor, finding)
        return Response(status=202)


def _act(actor: Actor, finding: Finding) -> None:
    actor.demand(Role.OPERATOR, finding.paddock or None, "Acting on a finding")
    if finding.closed_at or len(finding.hosts) != 1:
        raise NotNow("There is nothing that the server could do about this finding now.")
    host = host_called(actor, finding.hosts[0])
    match finding.remedy["action"]:
        case Action.RESTART_AGENT:
            restart(actor, host)
        case Action.START_SERVICE:
            try_service(actor, host, finding.about, "start")
        case Action.REQUEST_START:
            have_started(actor, host)
        case Action.HOLD:
            hold(actor, host, BY_CODE[finding.code].title)
        case _:
            raise NotNow(
                "There is nothing that the server could do about this finding itself: its remedy says what is."
            )


class ServiceView(APIView):
    """Have the agent start or stop a watched service. What comes of it appears on the service's line."""

    @extend_schema(request=TryServiceSerializer, responses={202: None})
    def post(self, request: Request, name: str) -> Response:
        actor = person(request.user)
        given = validated(TryServiceSerializer, request)
        try_service(actor, host_called(actor, name), given["name"], given["verb"])
        return Response(status=202)


class ExaminationView(APIView):
    """Ask the machine: its watch examines it with its next report, which takes a minute at most."""

    @extend_schema(responses=ExaminationSerializer)
    def get(self, request: Request, name: str) -> Response:
        """The last examination, as text."""
        return Response(ExaminationSerializer(examination(record_called(person(request.user), name))).data)

    @extend_schema(request=None, responses={202: None})
    def post(self, request: Request, name: str) -> Response:
        """Ask for a new one."""
        actor = person(request.user)
        ask_examination(actor, host_called(actor, name))
        return Response(status=202)


class WatchPlaceView(APIView):
    """Health over time: availability, services, disks that fill up, and what runs out. Availability is the time
    connected of the time that a host should have been; planned holds, and the time before its first hello, are left
    out."""

    @extend_schema(responses=WatchSerializer)
    def get(self, request: Request) -> Response:
        actor = person(request.user)
        hosts = list(
            visible_hosts(actor).filter(standing="admitted").select_related("health").prefetch_related("watched")
        )
        now = timezone.now()
        each, unsteady = availabilities(hosts, now), flapping(hosts, now)
        answer = {
            "paddocks": [
                {
                    "name": name,
                    "hosts": sum(host.paddock.name == name for host in hosts),
                    "availability": {window: shown(found) for window, found in windows.items()},
                }
                for name, windows in sorted(by_paddock(hosts, each).items())
            ],
            "hosts": [
                {
                    "name": host.name,
                    "paddock": host.paddock.name,
                    "link": host.link,
                    "is_flapping": host.pk in unsteady,
                    "availability": {window: shown(found) for window, found in each[host.pk].items()},
                    "watch": watch_shown(host, now),
                    "services": host.watched.all(),
                }
                for host in hosts
            ],
            "forecasts": forecasts(hosts, now),
            "running_out": _running_out(actor, now),
        }
        return Response(WatchSerializer(answer).data)


def _running_out(actor: Actor, now: datetime) -> list[dict[str, Any]]:
    paddocks = actor.where(Role.ADMINISTRATOR)
    passes = EntryPass.objects.filter(revoked_at=None, ends_at__range=(now, now + EXPIRY_HORIZON))
    if paddocks is not None:
        passes = passes.filter(paddock__name__in=paddocks)
    found: list[dict[str, Any]] = [
        {"what": "pass", "name": one.name, "paddock": one.paddock.name, "ends_at": one.ends_at}
        for one in passes.select_related("paddock")
        if one.used < one.uses
    ]
    ends = Health.objects.exclude(certificate_ends=None).order_by("certificate_ends").values_list("certificate_ends")
    if (first := ends.first()) and first[0] and first[0] < now + EXPIRY_HORIZON:
        found.append(
            {"what": "certificate", "name": settings.PUBLIC_URL or "server", "paddock": "", "ends_at": first[0]}
        )
    return sorted(found, key=lambda one: one["ends_at"])


class WeekView(APIView):
    """What happened to a host in the last days, on one time axis."""

    @extend_schema(responses=WeekSerializer, parameters=[OpenApiParameter("days", int, description="7, at most 31.")])
    def get(self, request: Request, name: str) -> Response:
        days = _number(request, "days", 7, 1, MAX_DAYS)
        return Response(WeekSerializer(week(record_called(person(request.user), name), int(days), timezone.now())).data)


class ReadingsView(APIView):
    """One reading of a host over time, as finely as it is kept: an hour in full, two days by the minute, a year by the
    hour."""

    @extend_schema(
        responses=ReadingsSerializer,
        parameters=[
            OpenApiParameter("reading", str, enum=[field.name for field in FIELDS]),
            OpenApiParameter("hours", float, description="How far back: 24, at most 8784."),
        ],
    )
    def get(self, request: Request, name: str) -> Response:
        field = next((one for one in FIELDS if one.name == request.query_params.get("reading", "load")), None)
        if field is None:
            raise Invalid(f"Unknown reading. Known readings: {', '.join(one.name for one in FIELDS)}.")
        host = record_called(person(request.user), name)
        end = datetime.now(UTC).timestamp()
        rows = readings(host, field.name, end - 3600 * _number(request, "hours", 24, 0.1, 366 * 24), end)
        return Response(
            ReadingsSerializer({"name": field.name, "title": field.title, "unit": field.unit, "rows": rows}).data
        )


def _number(request: Request, name: str, otherwise: float, least: float, most: float) -> float:
    try:
        given = float(request.query_params.get(name, otherwise))
    except ValueError:
        given = float("nan")
    if not least <= given <= most:
        raise Invalid(f"{name} is a number from {least:g} to {most:g}.")
    return given
